"""The Kotlin front end: tree-sitter's tree lowered to the neutral one. It shares names and files with Java's."""

from mappu.syntax import nodes as n
from mappu.syntax.kotlin.expressions import parser
from mappu.syntax.kotlin.statements import Statements


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = parser().parse(source).root_node
    lowering = Statements(source)
    body = lowering.block(root)
    if root.has_error:
        lowering.note_errors(root)
    return n.Module(path, "kotlin", source, body, lowering.damage)
