"""Rules that are declared and that nothing on the route runs."""

from collections.abc import Iterator

from mappu.gaps.base import gap, listed, remedy
from mappu.inventory.model import Gap, Place
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan

kind = "idle-rules"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        if route.endpoint.surface == "settings":
            # Those have a kind of their own.
            continue
        groups: dict[tuple[str, str], list[FieldEvidence]] = {}
        # Said as what it is: a rule without effect, a check that comes too early.
        said = {note.why for note, _ in route.notes} | {e.why for e in route.report.events}
        for found in route.fields:
            idle = next((c for c in found.field.constraints if c.status == "idle" and c.why_not not in said), None)
            if idle is not None and not any(
                r.below is not None and r.skipped == idle.why_not for r in found.shape.rules
            ):
                groups.setdefault((found.field.place, idle.why_not or ""), []).append(found)
        for (_, why_not), fields in groups.items():
            yield _gap(route, why_not, fields)


def _gap(route: RouteEvidence, why_not: str, fields: list[FieldEvidence]) -> Gap:
    first = fields[0]
    where = first.read or _bound_at(route, first) or first.field.declared
    assert where is not None
    model = first.field.model or "the model"
    idle = [c for f in fields for c in f.field.constraints if c.status == "idle"]
    # A rule on a class stands on each field that it is about.
    count = len({(c.kind, c.declared.file, c.declared.line, str(c.value)) for c in idle})
    rules = "rule" if count == 1 else "rules"
    why = f"{count} {rules} of {model} on {listed(f.field.path for f in fields)} never run: {why_not}"
    whole = {t.shape.skipped for t in route.taking.taken}
    mends = (r.mend for f in fields for r in f.shape.rules if r.skipped == why_not and r.mend in route.remedies)
    fix = remedy(route, next(mends, "bind-plain-model" if why_not in whole else "run-rules"), model=model)
    return gap(
        kind, route, where, why, fix, field="*" if len(fields) > 1 else first.field.path, place=first.field.place
    )


def _bound_at(route: RouteEvidence, found: FieldEvidence) -> Place | None:
    taken = (t for t in route.taking.taken if t.place == found.field.place and (t.shape.skipped or t.decoded))
    return next((t.declared for t in taken), None)
