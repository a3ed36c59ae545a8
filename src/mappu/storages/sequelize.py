"""Sequelize: models defined from an object of columns, or classes with decorators."""

from mappu.flow.values import Into
from mappu.storages.base import Column, Table, called, constants, flag, members, number, record_of
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import entry, walk
from mappu.vocabularies.shape import Reader

_DECORATED = "sequelize-typescript."
# What `STRING` holds where no length is given.
_STRING = 255


class Sequelize:
    """The library."""

    name = "sequelize"
    language = "javascript"

    def table(self, reader: Reader, into: Into) -> Table | None:
        target = record_of(reader.program, into)
        if target is None or target.scope is None:
            return None
        if isinstance(target.node, n.Class):
            return self._decorated(reader, target) or self._initialised(reader, target)
        call = target.node.value if isinstance(target.node, n.Variable | n.Assign) else None
        if isinstance(call, n.Call) and called(call) == "define" and len(call.positional) > 1:
            return self._of_entries(reader, target, call.positional[1], target.scope)
        return None

    def _initialised(self, reader: Reader, target: Target) -> Table | None:
        """`Pilot.init({...})`, in the file that declares the class."""
        node, scope = target.node, target.scope
        assert isinstance(node, n.Class)
        assert scope is not None
        if reader.program.derives(target, {"sequelize.Model"}) is None:
            return None
        for call in walk(*scope.module.body):
            if isinstance(call, n.Call) and called(call) == "init" and call.positional:
                found = reader.program.resolve(call.func.value, scope) if isinstance(call.func, n.Member) else None
                if found is not None and found.node is node:
                    return self._of_entries(reader, target, call.positional[0], scope)
        return None

    def _of_entries(self, reader: Reader, target: Target, written: n.Expr, scope: Scope) -> Table | None:
        followed = reader.program.value(written, scope)
        if followed is None or not isinstance(followed[0], n.Entries):
            return None
        found = {}
        for key, value in followed[0].entries:
            if isinstance(key, n.Literal) and isinstance(key.value, str):
                found[key.value] = self._column(reader, key.value, key, value, followed[1])
        return Table(target.name.rpartition(".")[2], found)

    def _decorated(self, reader: Reader, target: Target) -> Table | None:
        assert isinstance(target.node, n.Class)
        found = {}
        for member, scope in members(reader.program, target).values():
            marks = {(reader.program.name_of(m.name, scope) or "").removeprefix(_DECORATED): m for m in member.marks}
            if "Column" not in marks:
                continue
            given = marks["Column"].args
            column = self._column(reader, member.name, member, given[0].value if given else None, scope)
            if "AllowNull" in marks and marks["AllowNull"].args:
                allowed = flag(reader.program, marks["AllowNull"].args[0].value, scope) is not False
                column = Column(column.name, column.declared, column.longest, allowed, column.filled, column.values)
            if marks.keys() & {"Default", "CreatedAt", "UpdatedAt", "AutoIncrement"}:
                column = Column(column.name, column.declared, column.longest, column.nullable, True, column.values)
            found[member.name] = column
        return Table(target.node.name, found) if found else None

    @staticmethod
    def _column(reader: Reader, name: str, node: n.Node, written: n.Expr | None, scope: Scope) -> Column:
        program = reader.program
        type_ = entry(written, "type") if isinstance(written, n.Entries) else written
        kind = called(type_) if isinstance(type_, n.Call) else type_.name if isinstance(type_, n.Member) else ""
        given = type_.positional if isinstance(type_, n.Call) else ()
        longest = (number(program, given[0], scope) if given else _STRING) if kind in ("STRING", "CHAR") else None
        values: tuple[object, ...] | None = None
        if kind == "ENUM":
            listed = [program.constant(v, scope) for v in given]
            values = tuple(v.value for v in listed if v is not None) if listed and None not in listed else None
            values = values or constants(program, entry(written, "values") or (given[0] if given else None), scope)
        filled = any(entry(written, word) is not None for word in ("defaultValue", "autoIncrement"))
        return Column(name, scope.module.place(node), longest, flag(program, entry(written, "allowNull"), scope) is not False
                      and flag(program, entry(written, "primaryKey"), scope) is not True, filled, values)  # fmt: skip


storage = Sequelize()
