"""Settings whose rules never run, or only at first use."""

from collections.abc import Iterator

from mappu.gaps.base import gap, handler_place, listed, remedy
from mappu.inventory.model import Gap, Place
from mappu.pipeline.evidence import Scan

kind = "late-settings"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        if route.endpoint.surface != "settings":
            continue
        by = next((c.run_by for f in route.fields for c in f.field.constraints if c.run_by is not None), None)
        idle = [f for f in route.fields if any(c.status == "idle" for c in f.field.constraints)]
        if idle:
            why_not = next(c.why_not for c in idle[0].field.constraints if c.status == "idle")
            why = f"the rules of {route.endpoint.handler.symbol} on {listed(f.field.path for f in idle)} never run: {why_not}"
            fix = remedy(route, "start-early", name=route.endpoint.handler.symbol)
            yield gap(kind, route, handler_place(route), why, fix)
        late = by if by is not None and by.what == "made at first use" else None
        if late is None:
            continue
        where = Place(late.file, late.line, late.text)
        name = route.endpoint.handler.symbol
        why = (
            f"{name} is made only when a request first needs it: the service starts with a bad environment, and that "
            "request is a 5xx"
        )
        yield gap(kind, route, where, why, remedy(route, "start-early", name=name))
