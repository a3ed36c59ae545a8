"""JPA: entity classes whose annotations say what the columns hold."""

import msgspec

from mappu.flow.values import Into
from mappu.storages.base import Column, Table, flag, members, number
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.bean_validation.constraints import argument
from mappu.vocabularies.bean_validation.types import PRIMITIVES
from mappu.vocabularies.shape import Reader

_ENTITY = frozenset({f"{p}.persistence.{x}" for p in ("jakarta", "javax") for x in ("Entity", "MappedSuperclass")})
_FILLED = frozenset(
    {"Id", "GeneratedValue", "Version", "CreationTimestamp", "UpdateTimestamp", "CreatedDate", "LastModifiedDate"}
)
# What a text column holds where its annotation gives no length.
_USUAL = 255


class Jpa:
    """The library."""

    name = "jpa"
    language = "java"

    def table(self, reader: Reader, into: Into) -> Table | None:
        target = into.made
        if target is None or not isinstance(target.node, n.Class) or target.scope is None:
            return None
        if not any(reader.program.name_of(m.name, target.scope) in _ENTITY for m in target.node.marks):
            return None
        found = (self._column(reader, member, scope) for member, scope in members(reader.program, target).values())
        return Table(target.node.name, {c.name: c for c in found if c is not None})

    @staticmethod
    def _column(reader: Reader, member: n.Variable, scope: Scope) -> Column | None:
        program = reader.program
        marks = {(dotted(m.name) or "").rpartition(".")[2]: m for m in member.marks}
        if marks.keys() & {"static", "Transient", "transient", "OneToMany", "ManyToMany", "ManyToOne", "OneToOne"}:
            return None
        made = marks.get("Column")
        type_ = dotted(member.type) or ""
        text = type_ == "String" and not marks.keys() & {"Lob"}
        longest = number(program, argument(made, "length"), scope) if made is not None else None
        wide = made is not None and argument(made, "columnDefinition") is not None
        if text and longest is None and not wide:
            longest = _USUAL
        nullable = flag(program, argument(made, "nullable"), scope) is not False if made is not None else True
        rules = Reading(reader).of_type(member.type, scope, marks=tuple((m, scope) for m in member.marks)).rules
        limits = [r.value for r in rules if r.kind == "maxLength" and isinstance(r.value, int)]
        column = Column(member.name, scope.module.place(member), min([*limits, *([longest] if longest else [])], default=None),
                        nullable and type_ not in PRIMITIVES and not any(r.kind.startswith("not") for r in rules),
                        bool(marks.keys() & _FILLED) or member.value is not None or type_ in PRIMITIVES)  # fmt: skip
        return column if text else msgspec.structs.replace(column, longest=None)


storage = Jpa()
