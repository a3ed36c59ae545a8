"""Rules that cannot do anything where they stand."""

from collections.abc import Iterator

from mappu.gaps.base import noted
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "no-effect"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        yield from noted(route, kind)
