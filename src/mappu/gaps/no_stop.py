"""A handler that answers with an error and then carries on."""

from collections.abc import Iterator

from mappu.gaps.base_events import seen
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "no-stop"


def find(scan: Scan) -> Iterator[Gap]:
    yield from seen(scan, kind, "refuse")
