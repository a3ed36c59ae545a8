"""The Go front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import nodes as n
from mappu.syntax.go.expressions import parser
from mappu.syntax.go.statements import Statements


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    return Statements(source).module(path, "go", parser().parse(source).root_node)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    return Statements(text.encode(), at=span).only(parser().parse(text.encode()).root_node)


front_end = n.FrontEnd("go", (".go",), parse, expression)
