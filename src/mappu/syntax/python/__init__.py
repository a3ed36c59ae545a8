"""The Python front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import nodes as n
from mappu.syntax.python.statements import Statements, parser


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = parser().parse(source).root_node
    return Statements(source).module(path, "python", root)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text` (a type written as a string), every node standing at `span`."""
    root = parser().parse(text.encode()).root_node
    return Statements(text.encode(), at=span).only(root)


front_end = n.FrontEnd("python", (".py", ".pyi"), parse, expression)
