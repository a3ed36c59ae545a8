"""What every gap kind shares: how a gap is made, and how its sentences are put together."""

from collections.abc import Iterable, Iterator
from typing import Protocol

from mappu.inventory.kinds import KINDS
from mappu.inventory.model import Gap, Place, PlaceIn, Severity
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan


class GapKind(Protocol):
    """A module of this folder: the word of its kind, and a function that finds it."""

    kind: str

    def find(self, scan: Scan) -> Iterator[Gap]:
        """Yield every gap of this kind."""


def gap(
    kind: str, route: RouteEvidence | None, where: Place, why: str, fix: str, *, field: str | None = None,
    place: PlaceIn | None = None, severity: Severity | None = None,
) -> Gap:  # fmt: skip
    """Return a gap of the kind, with its usual severity where none is given."""
    endpoint = route.endpoint.id if route is not None else None
    return Gap(kind, severity or KINDS[kind].severity, endpoint, field, place, where, why, fix)


def gap_on(
    kind: str, route: RouteEvidence, found: FieldEvidence, where: Place, why: str, fix: str,
    severity: Severity | None = None,
) -> Gap:  # fmt: skip
    """Return a gap about one field."""
    return gap(kind, route, where, why, fix, field=found.field.path, place=found.field.place, severity=severity)


def noted(route: RouteEvidence, kind: str) -> Iterator[Gap]:
    """Yield the faults of this kind that declarations on a route have by themselves."""
    for note, path in route.notes:
        if note.kind == kind:
            place = next((f.field.place for f in route.fields if f.field.path == path), None)
            place = place or next((t.place for t in route.taking.taken if not t.wire and t.shape.fields), None)
            yield gap(kind, route, note.place, note.why, note.fix, field=path, place=place)


def remedy(route: RouteEvidence, word: str, **names: str) -> str:
    """Return the framework's sentence for a remedy, with the names it speaks of."""
    text = route.remedies[word]
    for name, value in names.items():
        text = text.replace(f"{{{name}}}", value)
    return text


def listed(words: Iterable[str], most: int = 5) -> str:
    """Return "a, b and c", the rest counted."""
    all_ = list(dict.fromkeys(words))
    shown = [f"`{w}`" for w in all_[:most]]
    if len(all_) > most:
        return f"{', '.join(shown)} and {len(all_) - most} more"
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} and {shown[-1]}"


def handler_place(route: RouteEvidence) -> Place:
    """The handler's own line."""
    handler = route.endpoint.handler
    module = route.route.scope.module
    return Place(handler.file, handler.line, module.line_text(handler.line))
