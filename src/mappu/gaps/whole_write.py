"""The whole body goes to storage, and no field is chosen."""

from collections.abc import Iterator

from mappu.flow.values import Origin
from mappu.frameworks.base import Taken
from mappu.gaps.base import gap
from mappu.gaps.base_events import field_at
from mappu.inventory.model import Gap
from mappu.pipeline.assemble import shape_of
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan

kind = "whole-write"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        done: set[str] = set()
        for sink in route.report.sinks:
            if sink.what != "storage" or not sink.whole:
                continue
            found = field_at(route, sink.origin.place, sink.origin.path)
            open_model = _open_model(route.taking.taken, sink.origin)
            ignored = _ignored(route, sink.origin)
            if open_model is None and ignored is None and (found is None or not _whole_body(found, sink.origin)):
                continue
            place = sink.origin.place if found is None else found.field.place
            if place in done:
                continue
            done.add(place)
            said = (
                f"{open_model} lets undeclared fields through"
                if open_model
                else ignored or "nothing chooses its fields"
            )
            why = f"the whole {place} is written to storage here and {said}: a client may set any column"
            fix = "name the fields that are written, or write a model that lists them"
            yield gap(kind, route, sink.place, why, fix, field="*", place=place)


def _whole_body(found: FieldEvidence, origin: Origin) -> bool:
    """True for a body (or each element of it) that the handler reads by hand and nobody has laid out."""
    steps = origin.path[len(found.origin.path) :]
    return found.raw and found.field.path == "*" and all(step in ("[]", "{}") for step in steps)


def _open_model(taken: tuple[Taken, ...], origin: Origin) -> str | None:
    """The model bound there, where it lets undeclared fields through."""
    shapes = (t.shape for t in taken if t.origin == origin and t.shape.extra == "allow" and t.shape.fields)
    return next((str(s.model) for s in shapes), None)


def _ignored(route: RouteEvidence, origin: Origin) -> str | None:
    """Why undeclared fields are still in it, though a model that leaves them out was run: nobody takes what it made."""
    runs = [r for r in route.report.runs if r.origin == origin and r.skipped is None]
    if not runs or not all(r.thrown_away for r in runs):
        return None
    shapes = [shape_of(route.service, r) for r in runs]
    if not all(s is not None and s.fields and s.extra == "ignore" for s in shapes):
        return None
    return f"what {shapes[0].model or 'the schema'} made of it (line {runs[0].place.line}) is thrown away"  # type: ignore[union-attr]
