"""Rules that cannot do anything where they stand."""

from collections.abc import Iterator

from mappu.gaps.base import gap
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "no-effect"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        for note, path in route.notes:
            if note.kind == kind:
                place = next((f.field.place for f in route.fields if f.field.path == path), None)
                place = place or next((t.place for t in route.taking.taken if not t.wire and t.shape.fields), None)
                yield gap(kind, route, note.place, note.why, note.fix, field=path, place=place)
