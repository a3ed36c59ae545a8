"""The Java front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import kotlin
from mappu.syntax import nodes as n
from mappu.syntax.java.expressions import parser
from mappu.syntax.java.statements import Statements


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = parser().parse(source).root_node
    return Statements(source).module(path, "java", root)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    root = parser().parse(f"{text};".encode()).root_node
    return Statements(text.encode(), at=span).only(root)


def parse_either(path: str, source: bytes) -> n.Module:
    """Java or Kotlin, by the file's ending: the two see each other's classes."""
    return kotlin.parse(path, source) if path.endswith(".kt") else parse(path, source)


front_end = n.FrontEnd("java", (".java", ".kt"), parse_either, expression)
