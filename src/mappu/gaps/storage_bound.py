"""The storage entity itself is bound from the request."""

from collections.abc import Iterator

from mappu.gaps.base import gap
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan

kind = "storage-bound"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        for taken in route.taking.taken:
            shape = taken.shape
            if shape.entity and shape.fields:
                keys = [f.name for f in shape.fields if f.name in ("id", "pk", "uuid")]
                also = f", `{keys[0]}` included" if keys else ""
                why = f"{shape.model} is a storage entity: the client may set every column of it{also}"
                fix = f"take a model of its own with the fields a client may send, and make the {shape.model} from it"
                yield gap(kind, route, taken.declared, why, fix, field=taken.wire or "*", place=taken.place)
