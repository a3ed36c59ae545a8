"""Bad input that ends as a 5xx where a 4xx belongs."""

from collections.abc import Iterator

from mappu.gaps.base import gap, gap_on, listed
from mappu.gaps.base_events import field_at, seen
from mappu.inventory.model import Constraint, Gap
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan

kind = "server-error"
_FIX = "raise HTTPException with a 4xx there, or map the error with `@app.exception_handler`"


def find(scan: Scan) -> Iterator[Gap]:
    yield from seen(scan, kind, _FIX)
    for route in scan.routes:
        if route.endpoint.surface != "settings":
            yield from _rules(route)
            yield from _reads(route)


def _rules(route: RouteEvidence) -> Iterator[Gap]:
    """Declared limits that break instead of refusing: by themselves, or because their error is mapped by nothing."""
    by_run: dict[tuple[str, int], list[tuple[FieldEvidence, Constraint]]] = {}
    for found in route.fields:
        for constraint in found.field.constraints:
            by = constraint.run_by
            if constraint.status != "breaks" or by is None or by.what in ("check by hand", "conversion"):
                continue
            if by.what == "call by hand" and "ValidationError is not" in (constraint.why_not or ""):
                by_run.setdefault((by.file, by.line), []).append((found, constraint))
            else:
                yield gap_on(kind, route, found, constraint.declared, constraint.why_not or "", _fix_for(constraint))
    # A model made from data that is bound already has nothing left to refuse.
    laid = {f.read for f in route.fields}
    broken = (r for r in route.report.runs if r.result.effect == "breaks" and r.place in laid)
    runs = {(r.place.file, r.place.line): r for r in broken}
    for key, run in runs.items():
        fields = [f.field.path for f, _ in by_run.get(key, ())]
        around = field_at(route, run.origin.place, run.origin.path)
        about = f" ({listed(fields)})" if fields else ""
        why = f"the model is built by hand{about} and nothing turns its ValidationError into a 4xx"
        fix = "bind the model as a parameter, or catch ValidationError and raise HTTPException(422)"
        place = around.field.place if around is not None else run.origin.place
        yield gap(kind, route, run.place, why, fix, field="*", place=place)


def _fix_for(constraint: Constraint) -> str:
    if constraint.kind == "custom":
        return "raise ValueError in the validator: it is then answered with a 422"
    if "dependency" in (constraint.why_not or ""):
        return "take the model as a parameter model: `Annotated[Model, Query()]` instead of `Depends()`"
    return "use a limit that fits the type, or change the type"


def _reads(route: RouteEvidence) -> Iterator[Gap]:
    """Reads and conversions by hand that throw on bad input."""
    groups: dict[tuple[str, str], list[tuple[str, object]]] = {}
    for read in route.report.reads:
        if read.result is None or read.result.effect != "breaks" or not (read.strict or read.type):
            continue
        around = field_at(route, read.origin.place, read.origin.path)
        if around is None or around.origin != read.origin or not (around.raw or around.read is not None):
            continue
        if read.strict and around.field.required and read.origin.path:
            continue
        name = "broken JSON" if not read.origin.path else f"`{around.field.path}` left out"
        name = f"`{around.field.path}` that is no {read.type}" if read.type else name
        groups.setdefault((around.field.place, read.place.file), []).append((name, read))
    for (place, _), found in groups.items():
        first = found[0][1]
        names = list(dict.fromkeys(name for name, _ in found))
        shown = ", ".join(names[:4]) + (f" and {len(names) - 4} more" if len(names) > 4 else "")
        why = f"{shown}: the error is caught by nothing and ends as a 5xx"
        fix = "bind the input as a typed parameter, or catch the error and raise HTTPException(422)"
        yield gap(kind, route, first.place, why, fix, field="*", place=place)  # type: ignore[attr-defined, arg-type]
