"""The Java front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import kotlin
from mappu.syntax import nodes as n
from mappu.syntax.java.expressions import parser
from mappu.syntax.java.statements import Statements


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = parser().parse(source).root_node
    lowering = Statements(source)
    body = lowering.block(root)
    if root.has_error:
        lowering.note_errors(root)
    return n.Module(path, "java", source, body, lowering.damage)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    root = parser().parse(f"{text};".encode()).root_node
    found = next((c for c in root.named_children if c.type == "expression_statement"), None)
    if found is None or root.has_error:
        return n.Opaque(span, text)
    return Statements(text.encode(), at=span).inner(found)


def parse_either(path: str, source: bytes) -> n.Module:
    """Java or Kotlin, by the file's ending: the two see each other's classes."""
    return kotlin.parse(path, source) if path.endswith(".kt") else parse(path, source)


front_end = n.FrontEnd("java", (".java", ".kt"), parse_either, expression)
