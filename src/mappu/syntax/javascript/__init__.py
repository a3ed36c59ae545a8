"""The JavaScript and TypeScript front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import nodes as n
from mappu.syntax.javascript.statements import Statements, parser


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    typed = path.endswith((".ts", ".mts", ".cts"))
    root = parser(typed).parse(source).root_node
    lowering = Statements(source, typed=typed)
    language = "typescript" if typed or path.endswith(".tsx") else "javascript"
    return lowering.module(path, language, root)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    root = parser(True).parse(text.encode()).root_node
    return Statements(text.encode(), at=span).only(root)


front_end = n.FrontEnd("javascript", (".js", ".mjs", ".cjs", ".jsx", ".ts", ".mts", ".cts", ".tsx"), parse, expression)
