"""A check that comes after the data was used."""

from collections.abc import Iterator

from mappu.gaps.base_events import seen
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "late-check"


def find(scan: Scan) -> Iterator[Gap]:
    yield from seen(scan, kind, "check-first")
