"""The Kotlin front end: tree-sitter's tree lowered to the neutral one. It shares names and files with Java's."""

import re
from collections.abc import Iterator

from mappu.syntax import nodes as n
from mappu.syntax.kotlin.expressions import parser
from mappu.syntax.kotlin.statements import Statements

_ANNOTATED = re.compile(rb"^@", re.M)
_DECLARED = re.compile(rb"^(?:[a-z]+ )*(?:class|interface|object|fun|val|var|typealias|import|package)\b", re.M)


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    damage: list[n.Damage] = []
    body: list[n.Stmt] = []
    for start, end in _parts(source):
        root = parser().parse(source[start:end]).root_node
        at = n.Span(source.count(b"\n", 0, start) + 1, start, end)
        lowering = Statements(source[start:end], whole=source, start=at, damage=damage)
        body.extend(lowering.block(root))
        if root.has_error:
            lowering.note_errors(root)
    return n.Module(path, "kotlin", source, tuple(body), damage)


def _parts(source: bytes) -> Iterator[tuple[int, int]]:
    """Where the declarations of a file begin and end, each with the annotations in front of it: the grammar takes annotations on
    lines of their own for what the declaration before goes on with."""
    start = 0
    for match in _ANNOTATED.finditer(source):
        if _DECLARED.search(source, start, match.start()):
            yield start, match.start()
            start = match.start()
    yield start, len(source)
