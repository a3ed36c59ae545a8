"""A request may hold what its column cannot, or leave out what it must have."""

from collections.abc import Iterator

from mappu.compare.columns import Filled, filled
from mappu.compare.limits import NAMED, limits
from mappu.gaps.base import gap, gap_on, listed
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import RouteEvidence, Scan
from mappu.storages.base import called

kind = "storage-drift"

# Of fields that nothing looks at, or whose checks do not hold, the other kinds speak.
_SPOKEN_OF = frozenset({"bare", "idle", "unknown", "leaky"})
_CREATES = frozenset(
    {"create", "insert", "insertOne", "insertMany", "createMany", "values", "bulkCreate", "save", "build"}
)


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        null: list[Filled] = []
        for each in filled(route):
            if (
                each.found.entity is not None
                or each.found.field.standing in _SPOKEN_OF
                or (each.found.raw and each.found.field.path == "*")
            ):
                continue
            if each.found.field.nullable and not each.column.nullable and not _is_there(each):
                null.append(each)
            for why, fix in _drifts(route, each):
                yield gap_on(kind, route, each.found, each.write.place, why, fix)
        if null:
            yield _null(route, null)


def _is_there(each: Filled) -> bool:
    """True where some check stands between null and the column, if only for some requests."""
    return each.write.there or limits(each.found.field).any_of({"notNull", "required", "custom"})


def _null(route: RouteEvidence, columns: list[Filled]) -> Gap:
    """All that may be null and must not be, which usually has one cause."""
    names = listed(f"{c.table.name}.{c.column.name}" for c in columns)
    first = columns[0]
    line = f"{first.column.declared.file}:{first.column.declared.line}"
    why = f"null gets through, and {names} must not be null ({line})"
    fields = [c.found.field for c in columns]
    path = fields[0].path if len(fields) == 1 else "*"
    return gap(kind, route, first.write.place, why, f"refuse null for {listed(f.path for f in fields)}",
               field=path, place=fields[0].place)  # fmt: skip


def _drifts(route: RouteEvidence, each: Filled) -> Iterator[tuple[str, str]]:
    field, column = each.found.field, each.column
    name = f"{each.table.name}.{column.name}"
    line = f"{column.declared.file}:{column.declared.line}"
    held = limits(field)
    if column.longest is not None and field.type == "string" and not each.found.alternatives:
        most = held.longest
        if most is not None and most > column.longest:
            yield (f"up to {most} characters get through, and {name} holds {column.longest} ({line})",
                   f"limit `{field.path}` to {column.longest} characters, or widen the column")  # fmt: skip
        elif most is None and not held.any_of(NAMED) and not each.found.shape.closed:
            yield (f"text of any length gets through, and {name} holds {column.longest} characters ({line})",
                   f"limit `{field.path}` to {column.longest} characters")  # fmt: skip
    if column.values is not None and field.type == "string":
        strange = [v for v in held.listed or () if v not in column.values]
        if strange:
            yield (f"{strange[0]!r} gets through, and {name} does not take it ({line})",
                   "list the same values in both places")  # fmt: skip
        elif held.listed is None and not held.any_of(NAMED):
            yield (f"any text gets through, and {name} takes {len(column.values)} values only ({line})",
                   f"limit `{field.path}` to the values of the column")  # fmt: skip
    if not column.nullable and not field.nullable and not field.required and not column.filled:
        if _must_be_there(route, each):
            yield (f"it may be left out, and {name} must be filled ({line})",
                   f"make `{field.path}` required, or give the column a default")  # fmt: skip


def _must_be_there(route: RouteEvidence, each: Filled) -> bool:
    """True where a new record is made of what the client sends, with nothing in place of what is left out."""
    made = called(each.write.into.call) in _CREATES and route.endpoint.method in ("POST", "SERVER-ACTION")
    return made and each.found.default is None and "." not in each.found.field.path
