"""ent: schemas whose methods list the fields, and builders that set them one by one."""

import re
from collections.abc import Iterator
from typing import cast

from mappu.flow.values import Into
from mappu.storages.base import Column, Table, called, chain, constants, number
from mappu.symbols.go import GoNames
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import own
from mappu.vocabularies.shape import Reader

_BUILDS = frozenset({"Create", "Update", "UpdateOne", "UpdateOneID", "MapCreateBulk"})
_FILLED = frozenset({"Default", "DefaultFunc", "UpdateDefault", "Optional"})


class Ent:
    """The library."""

    name = "ent"
    language = "go"

    def table(self, reader: Reader, into: Into) -> Table | None:
        built = next((c for c in chain(into.call) if called(c) in _BUILDS), None)
        base = built.func.value if built is not None and isinstance(built.func, n.Member) else None
        if not isinstance(base, n.Member):
            return None
        finder = cast(GoNames, reader.program.finder)
        schemas = [x for x in finder.having("Fields", into.scope.module.path) if x.endswith(f"schema.{base.name}")]
        for name in schemas:
            columns = {c.name: c for c in _columns(reader.program, f"{name}.Fields", into.scope)}
            if columns:
                return Table(base.name, columns)
        return None


def _columns(program: Program, method: str, scope: Scope) -> Iterator[Column]:
    """The columns that a schema's method lists, by the names of the functions that set them."""
    owner, _, last = method.rpartition(".")
    target = program.by_name(owner, scope)
    found = program.member(target, last) if target.node is not None else None
    if found is None or not isinstance(found.node, n.Function) or found.scope is None:
        return
    inner = program.scope_of(found.node, found.scope)
    for stmt in own(*found.node.body):
        if isinstance(stmt, n.Leave) and isinstance(stmt.value, n.Items):
            for item in stmt.value.items:
                column = _column(program, item, inner)
                if column is not None:
                    yield column


def _column(program: Program, expr: n.Expr, scope: Scope) -> Column | None:
    """`field.String("code").MaxLen(8).Optional()`."""
    steps = {called(c): c for c in chain(expr)}
    made = list(chain(expr))[-1:]
    name = program.text(made[0].positional[0], scope) if made and made[0].positional else None
    if name is None:
        return None
    longest = (
        number(program, steps["MaxLen"].positional[0], scope)
        if "MaxLen" in steps and steps["MaxLen"].positional
        else None
    )
    values = steps.get("Values")
    listed = constants(program, n.Items(values.span, "list", values.positional), scope) if values is not None else None
    setter = "".join(w[:1].upper() + w[1:] for w in re.split(r"_+", name))
    # What is set is a value, never null.
    return Column(setter, scope.module.place(expr), longest, True, bool(steps.keys() & _FILLED), listed)


storage = Ent()
