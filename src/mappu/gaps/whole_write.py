"""The whole body goes to storage, and no field is chosen."""

from collections.abc import Iterator

from mappu.gaps.base import gap
from mappu.gaps.base_events import field_at
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import FieldEvidence, Scan

kind = "whole-write"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        done: set[str] = set()
        for sink in route.report.sinks:
            if sink.what != "storage" or not sink.whole:
                continue
            found = field_at(route, sink.origin.place, sink.origin.path)
            open_model = _open_model(route.taking.taken, sink.origin.place) if not sink.origin.path else None
            if open_model is None and (found is None or not _whole_body(found, sink.origin.path)):
                continue
            place = sink.origin.place if found is None else found.field.place
            if place in done:
                continue
            done.add(place)
            said = f"{open_model} lets undeclared fields through" if open_model else "nothing chooses its fields"
            why = f"the whole {place} is written to storage here and {said}: a client may set any column"
            fix = "name the fields that are written, or write a model that lists them"
            yield gap(kind, route, sink.place, why, fix, field="*", place=place)


def _whole_body(found: FieldEvidence, path: tuple[str, ...]) -> bool:
    """True for a body (or each element of it) that the handler reads by hand and nobody has laid out."""
    return found.raw and found.field.path == "*" and all(step in ("[]", "{}") for step in path)


def _open_model(taken: object, place: str) -> str | None:
    for each in taken:  # type: ignore[attr-defined]
        if each.place == place and not each.wire and each.shape.extra == "allow" and each.shape.fields:
            return str(each.shape.model)
    return None
