"""Gaps that the flow engine saw happen: one for each place, naming every field that the place is about."""

from collections.abc import Iterator

from mappu.flow.values import Event, ModelRun
from mappu.gaps.base import gap, remedy
from mappu.inventory.model import Gap, Place, PlaceIn
from mappu.pipeline.assemble import BODILESS
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan


def seen(scan: Scan, kind: str, closed_by: str) -> Iterator[Gap]:
    """Yield a gap for each place of an event of this kind; `closed_by` is the remedy."""
    for route in scan.routes:
        places: dict[tuple[str, int], Event] = {}
        for event in route.report.events:
            if event.kind == kind and not _cannot_be(route, event) and not _has_no_body(route, event):
                places.setdefault((event.place.file, event.place.line), event)
        alike: dict[tuple[object, ...], list[Event]] = {}
        for event in places.values():
            # Several checks of one field that end the same way are mended in one go.
            alike.setdefault(
                (event.origin, event.place.file) if event.origin is not None else (event.place,), []
            ).append(event)
        for first, *more in alike.values():
            field, place = named(route, first)
            also = (
                f"; so do {len(more)} more checks of it"
                if len(more) > 1
                else "; so does one more of it"
                if more
                else ""
            )
            fix = remedy(route, first.mend or closed_by)
            yield gap(
                kind, route, first.place, first.why + also, fix, field=field, place=place, severity=first.severity
            )


def _has_no_body(route: RouteEvidence, event: Event) -> bool:
    """True where the event is about a body that code shared with other routes reads, and a request of this one has none."""
    bodiless = route.endpoint.method in BODILESS and event.origin is not None and event.origin.place in ("body", "form")
    return bodiless and all(f.origin.place not in ("body", "form") for f in route.fields)


def _cannot_be(route: RouteEvidence, event: Event) -> bool:
    """True where the event is about data that is not there, or that the code asserts something of, and the framework binds it:
    what is required and never null is there, and what can be empty may still be."""
    found = field_at(route, event.origin.place, event.origin.path) if event.origin is not None else None
    if found is None or found.raw:
        return False
    field = found.field
    there = (
        field.required
        and not field.nullable
        and (field.place == "path" or field.type not in ("string", "array", "object"))
    )
    return event.asserted or (event.presence and there)


def runs_by_hand(route: RouteEvidence) -> Iterator[tuple[ModelRun, list[FieldEvidence]]]:
    """Yield the models run by hand on data that nothing had looked at before, each once, with the fields they list. One made
    from data that is bound already has nothing left to refuse."""
    by_place: dict[Place, list[FieldEvidence]] = {}
    for found in route.fields:
        if found.read is not None:
            by_place.setdefault(found.read, []).append(found)
    for place, run in {r.place: r for r in route.report.runs if r.keys is None}.items():
        if place in by_place:
            yield run, by_place[place]


def named(route: RouteEvidence, event: Event) -> tuple[str | None, PlaceIn | None]:
    """The path and place of the field an event is about."""
    if event.origin is None:
        return None, None
    found = field_at(route, event.origin.place, event.origin.path)
    return (found.field.path, found.field.place) if found is not None else ("*", event.origin.place)


def field_at(route: RouteEvidence, place: str, path: tuple[str, ...]) -> FieldEvidence | None:
    """The field known to the flow engine by this origin, or the nearest one around it."""
    for size in range(len(path), -1, -1):
        for found in route.fields:
            if (found.origin.place, found.origin.path) == (place, path[:size]):
                return found
    return None
