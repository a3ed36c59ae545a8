"""TypeORM: entity classes with decorators, written through repositories and managers."""

import re

from mappu.flow.values import Into
from mappu.storages.base import (  # fmt: skip
    Column,
    Table,
    base_of,
    called,
    chain,
    constants,
    flag,
    members,
    named_in_type,
    number,
)
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import entry
from mappu.vocabularies.shape import Reader

_REPOSITORY = re.compile(r"Repository$")
_FILLED = frozenset({"PrimaryGeneratedColumn", "CreateDateColumn", "UpdateDateColumn", "DeleteDateColumn", "VersionColumn",
                     "ObjectIdColumn", "Generated"})  # fmt: skip
_COLUMNS = frozenset({"Column", "PrimaryColumn", *_FILLED})
# Calls on the way to a write that name the entity: `getRepository(Pilot)`, `insert().into(Pilot)`, `update(Pilot)`.
_NAMING = frozenset({"getRepository", "getTreeRepository", "into", "update", "insert", "save", "create", "upsert"})


class TypeOrm:
    """The library."""

    name = "typeorm"
    language = "javascript"

    def table(self, reader: Reader, into: Into) -> Table | None:
        target = self._entity(reader, into)
        if target is None or not isinstance(target.node, n.Class) or target.scope is None:
            return None
        if not any(self._is(reader, m, target.scope, {"Entity"}) for m in target.node.marks):
            return None
        found = (self._column(reader, member, scope) for member, scope in members(reader.program, target).values())
        return Table(target.node.name, {c.name: c for c in found if c is not None})

    def _entity(self, reader: Reader, into: Into) -> Target | None:
        if into.made is not None and isinstance(into.made.node, n.Class):
            return into.made
        for call in chain(into.call):
            if called(call) in _NAMING and call.positional:
                found = reader.program.resolve(call.positional[0], into.scope)
                if found is not None and isinstance(found.node, n.Class):
                    return found
        base = base_of(into)
        typed = named_in_type(reader.program, base, into.scope, _REPOSITORY)
        # `Pilot.save(…)`: the class itself keeps its records.
        return typed or (reader.program.resolve(base, into.scope) if isinstance(base, n.Name) else None)

    @staticmethod
    def _is(reader: Reader, mark: n.Mark, scope: Scope, names: set[str] | frozenset[str]) -> bool:
        name = reader.program.name_of(mark.name, scope) or ""
        return name.rpartition(".")[2] in names and name.startswith("typeorm")

    def _column(self, reader: Reader, member: n.Variable, scope: Scope) -> Column | None:
        marks = [m for m in member.marks if self._is(reader, m, scope, _COLUMNS)]
        if not marks:
            return None
        program, place = reader.program, scope.module.place(member)
        if any(self._is(reader, m, scope, _FILLED) for m in marks):
            return Column(member.name, place, filled=True)
        options = next((a.value for m in marks for a in m.args or () if isinstance(a.value, n.Entries)), None)
        return Column(
            member.name, place, number(program, entry(options, "length"), scope),
            nullable=bool(flag(program, entry(options, "nullable"), scope)),
            filled=entry(options, "default") is not None or entry(options, "generated") is not None or member.value is not None,
            values=constants(program, entry(options, "enum"), scope),
        )  # fmt: skip


storage = TypeOrm()
