"""SQLAlchemy and SQLModel: mapped classes whose instances are added to a session."""

from mappu.flow.values import Into
from mappu.storages.base import Column, Table, called, constants, flag, members, number
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.shape import Reader

_COLUMNS = frozenset({"Column", "mapped_column", "Field"})
_TEXTS = frozenset({"String", "Unicode", "VARCHAR", "CHAR", "NVARCHAR"})
_FILLED = ("default", "server_default", "default_factory", "insert_default", "onupdate")


class SqlAlchemy:
    """The libraries."""

    name = "sqlalchemy"
    language = "python"

    def table(self, reader: Reader, into: Into) -> Table | None:
        target = into.made
        if target is None or not isinstance(target.node, n.Class) or not _is_mapped(target.node):
            return None
        found = (self._column(reader, member, scope) for member, scope in members(reader.program, target).values())
        return Table(target.node.name, {c.name: c for c in found if c is not None})

    @staticmethod
    def _column(reader: Reader, member: n.Variable, scope: Scope) -> Column | None:
        program, made = reader.program, member.value
        call = made if isinstance(made, n.Call) and called(made) in _COLUMNS else None
        if call is None and member.type is None:
            return None
        parts = [p for p in (*(call.args if call is not None else ()),) if p.name in (None, "sa_column", "type_")]
        types = [c for p in parts for c in walk(p.value) if isinstance(c, n.Call) and called(c) in _TEXTS]
        longest = number(program, types[0].positional[0], scope) if types and types[0].positional else None
        options = {a.name: a.value for a in call.args} if call is not None else {}
        if longest is None:
            longest = number(program, options.get("max_length"), scope)
        enums = [c for p in parts for c in walk(p.value) if isinstance(c, n.Call) and called(c) == "Enum"]
        values = _listed(program, enums[0], scope) if enums else None
        given = flag(program, options.get("nullable"), scope)
        key = flag(program, options.get("primary_key"), scope) is True
        typed = member.type is not None
        # No value for a key is no value at all: its default, or the database, makes one.
        nullable = key or (given if given is not None else not typed or _may_be_none(member.type))
        first = call.positional[0] if call is not None and call.positional and called(call) == "Field" else None
        filled = any(w in options for w in _FILLED) or key or first is not None or (call is None and made is not None)
        return Column(member.name, scope.module.place(member), longest, nullable, filled, values)


def _listed(program: Program, enum: n.Call, scope: Scope) -> tuple[object, ...] | None:
    """The values of `Enum("a", "b")` or `Enum(Kind)`."""
    texts = [t for e in enum.positional if (t := program.text(e, scope)) is not None]
    if texts and len(texts) == len(enum.positional):
        return tuple(texts)
    return constants(program, enum.positional[0], scope) if enum.positional else None


def _is_mapped(node: n.Class) -> bool:
    table = any(a.name == "table" for a in node.bases)
    return table or any(isinstance(m, n.Variable | n.Assign) and "__tablename__" in _names(m) for m in node.body)


def _names(stmt: n.Variable | n.Assign) -> list[str]:
    return [stmt.name] if isinstance(stmt, n.Variable) else [dotted(t) or "" for t in stmt.targets]


def _may_be_none(type_: n.Expr | None) -> bool:
    names = {dotted(x) for x in walk(type_) if isinstance(x, n.Name)} if type_ is not None else set()
    absent = any(isinstance(x, n.Literal) and x.value is None for x in walk(type_)) if type_ is not None else False
    return absent or "Optional" in names


storage = SqlAlchemy()
