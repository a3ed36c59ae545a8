"""Bad input that ends as a 5xx where a 4xx belongs."""

from collections.abc import Iterator

from mappu.flow.values import Read
from mappu.gaps.base import gap, gap_on, listed, remedy
from mappu.gaps.base_events import field_at, runs_by_hand, seen
from mappu.inventory.model import Constraint, Gap, Place, PlaceIn
from mappu.pipeline.decoded import BY_HAND, DECODER
from mappu.pipeline.evidence import BY_STORAGE, FieldEvidence, RouteEvidence, Scan

kind = "server-error"


def find(scan: Scan) -> Iterator[Gap]:
    yield from seen(scan, kind, "map-error")
    for route in scan.routes:
        if route.endpoint.surface != "settings":
            yield from _rules(route)
            yield from _unmapped(route)
            yield from _runs(route)
            yield from _reads(route)


def _rules(route: RouteEvidence) -> Iterator[Gap]:
    """Declared limits that break by themselves instead of refusing."""
    for found in route.fields:
        broken = {(r.kind, r.declared): r for r in found.shape.rules if r.breaks is not None}
        for constraint in found.field.constraints:
            rule = broken.get((constraint.kind, constraint.declared))
            if rule is not None and constraint.status == "breaks":
                fix = remedy(route, rule.mend or "fit-type")
                yield gap_on(kind, route, found, constraint.declared, constraint.why_not or "", fix)


def _unmapped(route: RouteEvidence) -> Iterator[Gap]:
    """Declared limits that are checked, by something whose error is answered as a 5xx."""
    stored: dict[Place, list[tuple[FieldEvidence, Constraint]]] = {}
    for found in route.fields:
        rules = {(r.kind, r.declared) for r in found.shape.rules if r.breaks is None and not r.typed}
        broken = [c for c in found.field.constraints if c.status == "breaks" and (c.kind, c.declared) in rules]
        by = broken[0].run_by if broken else None
        if by is None or found.read is not None or by.what in (BY_HAND, DECODER):
            # What the handler's own calls refuse is said of the call.
            continue
        if by.what == BY_STORAGE:
            stored.setdefault(Place(by.file, by.line, by.text), []).extend((found, c) for c in broken)
        else:
            fix = remedy(route, "map-error")
            yield gap_on(kind, route, found, broken[0].declared, broken[0].why_not or "", fix)
    for written, those in stored.items():
        # One row is written, and one annotation has its rules looked at before.
        first = those[0][0]
        fields = listed(f.field.path for f, _ in those)
        why = f"{len(those)} {'rule' if len(those) == 1 else 'rules'} on {fields} run too late: {those[0][1].why_not}"
        fix = remedy(route, "run-rules", model=first.field.model or "the model")
        name = first.field.path if len({f.field.path for f, _ in those}) == 1 else "*"
        yield gap(kind, route, written, why, fix, field=name, place=first.field.place)


def _runs(route: RouteEvidence) -> Iterator[Gap]:
    """Models run by hand whose error is mapped by nothing."""
    for run, listed_fields in runs_by_hand(route):
        if run.result.effect != "breaks":
            continue
        fields = [f.field.path for f in listed_fields if f.field.constraints]
        around = field_at(route, run.origin.place, run.origin.path)
        about = f" ({listed(fields)})" if fields else ""
        why = f"the model is built by hand{about} and nothing turns its ValidationError into a 4xx"
        place = around.field.place if around is not None else run.origin.place
        yield gap(kind, route, run.place, why, remedy(route, "catch-model-error"), field="*", place=place)


def _reads(route: RouteEvidence) -> Iterator[Gap]:
    """Reads and conversions by hand that throw on bad input."""
    groups: dict[tuple[PlaceIn, str], list[tuple[str, Read]]] = {}
    for read in route.report.reads:
        if read.result is None or read.result.effect != "breaks" or not (read.strict or read.type):
            continue
        around = field_at(route, read.origin.place, read.origin.path)
        if read.what is not None and route.taking.no_body is not None:
            # There is never a body here; that is said by itself.
            continue
        whole = read.strict and not read.origin.path
        if not whole and (
            around is None or around.origin != read.origin or not (around.raw or around.read is not None)
        ):
            continue
        if around is not None and read.strict and around.field.required and read.origin.path:
            continue
        path = around.field.path if around is not None else "*"
        name = read.what or ("broken JSON" if not read.origin.path else f"`{path}` left out")
        name = f"`{path}` that is no {read.type}" if read.type else name
        place = around.field.place if around is not None else read.origin.place
        groups.setdefault((place, read.place.file), []).append((name, read))
    for (place, _), found in groups.items():
        first = found[0][1]
        names = list(dict.fromkeys(name for name, _ in found))
        shown = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        why = f"{shown}: the error is caught by nothing and ends as a 5xx"
        yield gap(kind, route, first.place, why, remedy(route, "catch-read-error"), field="*", place=place)
