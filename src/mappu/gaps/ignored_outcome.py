"""A check that runs and whose outcome nobody acts on."""

from collections.abc import Iterator

from mappu.gaps.base import gap, remedy
from mappu.gaps.base_events import field_at, runs_by_hand, seen
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "ignored-outcome"


def find(scan: Scan) -> Iterator[Gap]:
    yield from seen(scan, kind, "act-on-it")
    for route in scan.routes:
        for run, _ in runs_by_hand(route):
            if run.result.effect == "swallowed":
                around = field_at(route, run.origin.place, run.origin.path)
                place = around.field.place if around is not None else run.origin.place
                if run.result.place is None:
                    why = "the rules are run here, and nothing acts on the outcome before the handler goes on"
                else:
                    line = run.result.place.line
                    why = f"the model's rules run here, and their error is caught on line {line} and passed over"
                yield gap(kind, route, run.place, why, remedy(route, "act-on-it"), field="*", place=place)
