"""Drizzle: tables made by calls, a chain a column."""

from mappu.flow.values import Into
from mappu.storages.base import Column, Table, called, chain, constants, number
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import entry
from mappu.vocabularies.shape import Reader

_TABLES = frozenset({"pgTable", "mysqlTable", "sqliteTable", "singlestoreTable"})
_FILLED = frozenset({"default", "defaultNow", "defaultRandom", "$default", "$defaultFn", "$onUpdate", "$onUpdateFn",
                     "generatedAlwaysAs", "generatedAlwaysAsIdentity", "generatedByDefaultAsIdentity",
                     "autoincrement"})  # fmt: skip
_SERIAL = frozenset({"serial", "bigserial", "smallserial"})
_ENUMS = frozenset({"pgEnum", "mysqlEnum"})


class Drizzle:
    """The library."""

    name = "drizzle"
    language = "javascript"

    def table(self, reader: Reader, into: Into) -> Table | None:
        for call in chain(into.call):
            if called(call) in ("insert", "update") and call.positional:
                made = reader.program.value(call.positional[0], into.scope)
                if made is not None and isinstance(made[0], n.Call) and called(made[0]) in _TABLES:
                    return self._table(reader, made[0], made[1])
        return None

    def _table(self, reader: Reader, made: n.Call, scope: Scope) -> Table | None:
        if len(made.positional) < 2:
            return None
        written = made.positional[1]
        if isinstance(written, n.Function):
            returned = [s.value for s in written.body if isinstance(s, n.Leave)]
            scope = reader.program.scope_of(written, scope)
            written = returned[0] if returned and returned[0] is not None else written
        columns = {}
        for key, value in written.entries if isinstance(written, n.Entries) else ():
            if isinstance(key, n.Literal) and isinstance(key.value, str):
                columns[key.value] = self._column(reader, key.value, value, scope)
        return Table(reader.program.text(made.positional[0], scope) or "", columns)

    @staticmethod
    def _column(reader: Reader, name: str, value: n.Expr, scope: Scope) -> Column:
        calls = list(chain(value))
        words = {called(c) for c in calls}
        first = calls[-1] if calls else None
        options = next((a for a in first.positional if isinstance(a, n.Entries)), None) if first is not None else None
        program = reader.program
        values = constants(program, entry(options, "enum"), scope)
        made = program.value(first.func, scope) if first is not None and isinstance(first.func, n.Name) else None
        if made is not None and isinstance(made[0], n.Call) and called(made[0]) in _ENUMS:
            values = constants(program, made[0].positional[-1], made[1])
        filled = bool(words & (_FILLED | _SERIAL))
        required = bool(words & {"notNull", "primaryKey"})
        longest = number(program, entry(options, "length"), scope)
        return Column(name, scope.module.place(value), longest, not required, filled, values)


storage = Drizzle()
