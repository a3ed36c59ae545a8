"""The JavaScript and TypeScript front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import nodes as n
from mappu.syntax.javascript.statements import Statements, parser


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    typed = path.endswith((".ts", ".mts", ".cts"))
    root = parser(typed).parse(source).root_node
    lowering = Statements(source, typed=typed)
    body = lowering.whole_block(root)
    if root.has_error:
        lowering.note_errors(root)
    language = "typescript" if typed or path.endswith(".tsx") else "javascript"
    return n.Module(path, language, source, body, lowering.damage)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    root = parser(True).parse(text.encode()).root_node
    found = next((c for c in root.named_children if c.type == "expression_statement"), None)
    if found is None or root.has_error:
        return n.Opaque(span, text)
    return Statements(text.encode(), at=span).inner(found)


front_end = n.FrontEnd("javascript", (".js", ".mjs", ".cjs", ".jsx", ".ts", ".mts", ".cts", ".tsx"), parse, expression)
