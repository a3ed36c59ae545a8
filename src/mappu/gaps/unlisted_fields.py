"""Fields that nobody declared, let through and kept."""

from collections.abc import Iterator

from mappu.gaps.base import gap, remedy
from mappu.inventory.model import Gap, Place, PlaceIn
from mappu.pipeline.evidence import RouteEvidence, Scan
from mappu.vocabularies.shape import Shape

kind = "unlisted-fields"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        if route.endpoint.surface != "http":
            continue
        for taken in route.taking.taken:
            if _open(taken.shape):
                yield _gap(route, taken.shape, taken.wire or "*", taken.place, taken.declared)
        for found in route.fields:
            if found.nested and _open(found.shape):
                assert found.field.declared is not None
                yield _gap(route, found.shape, found.field.path, found.field.place, found.field.declared)


def _open(shape: Shape) -> bool:
    return shape.extra == "allow" and bool(shape.fields) and shape.skipped is None


def _gap(route: RouteEvidence, shape: Shape, field: str, place: PlaceIn, where: Place) -> Gap:
    why = f"{shape.model or 'the schema'} lets fields through that it does not declare, and keeps them"
    return gap(kind, route, where, why, remedy(route, "drop-unlisted"), field=field, place=place)
