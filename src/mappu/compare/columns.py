"""What a request may hold, held against the columns it ends up in."""

from collections.abc import Iterator

import msgspec

from mappu.flow.values import Origin, Write
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence
from mappu.storages import storages
from mappu.storages.base import Column, Table


class Filled(msgspec.Struct, frozen=True, eq=False):
    """A field of a route and the column that it is written to."""

    found: FieldEvidence
    table: Table
    column: Column
    write: Write


def filled(route: RouteEvidence) -> Iterator[Filled]:
    """Yield every field that goes into a column that is written out in the source, each once."""
    done: set[tuple[int, str]] = set()
    mine = [s for s in storages() if s.language == route.service.language]
    by_origin = {f.origin: f for f in route.fields}
    for write in route.report.writes:
        table = next((t for s in mine if (t := s.table(route.service.reader, write.into)) is not None), None)
        for name, column in table.columns.items() if table is not None else ():
            origin = _origin(write, name)
            found = by_origin.get(origin) if origin is not None else None
            if found is not None and (id(found), name) not in done:
                done.add((id(found), name))
                assert table is not None
                yield Filled(found, table, column, write)


def _origin(write: Write, column: str) -> Origin | None:
    """The data that a write puts into a column."""
    if write.column is None:
        return write.origin.child(column)
    return write.origin if write.column == column else None
