"""GORM: structs whose tags say what the columns hold."""

import re
from collections.abc import Iterator

from mappu.flow.values import Into
from mappu.storages.base import Column, Table
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import Reader

_SIZED = re.compile(r"(?:var)?char(?:acter varying)?\((\d+)\)|binary\((\d+)\)", re.I)
_KEYS = frozenset({"primarykey", "primary_key", "autoincrement", "autocreatetime", "autoupdatetime"})


class Gorm:
    """The library."""

    name = "gorm"
    language = "go"

    def table(self, reader: Reader, into: Into) -> Table | None:
        target = into.made
        if target is None or not isinstance(target.node, n.Class) or target.scope is None:
            return None
        columns = {c.name: c for c in _columns(reader.program, target)}
        tagged = any(dotted(m.name) == "gorm" for v in target.node.body if isinstance(v, n.Variable) for m in v.marks)
        return Table(target.node.name, columns) if tagged else None


def _columns(program: Program, target: Target) -> Iterator[Column]:
    """The columns of a struct and of those that it embeds."""
    for each in reversed(program.ancestry(target)):
        if isinstance(each.node, n.Class) and each.scope is not None:
            for member in each.node.body:
                if isinstance(member, n.Variable) and not any(dotted(m.name) == "embedded" for m in member.marks):
                    yield _column(member, each.scope)


def _column(member: n.Variable, scope: Scope) -> Column:
    options = dict(_options(member))
    type_ = member.type
    pointer = isinstance(type_, n.Index) and dotted(type_.value) == "*"
    sized = _SIZED.search(options.get("type", ""))
    size = options.get("size", "") or (next(g for g in sized.groups() if g) if sized is not None else "")
    text = dotted(type_.index if isinstance(type_, n.Index) and pointer else type_) == "string"
    # What is no pointer is never null: left out, it is the zero value.
    filled = not pointer or bool(options.keys() & _KEYS) or "default" in options
    return Column(member.name, scope.module.place(member), int(size) if text and size.isdigit() else None,
                  not pointer or "not null" not in options, filled)  # fmt: skip


def _options(member: n.Variable) -> Iterator[tuple[str, str]]:
    """The options of the tag: `size:60;not null`."""
    mark = next((m for m in member.marks if dotted(m.name) == "gorm"), None)
    given = mark.args[0].value if mark is not None and mark.args else None
    for option in str(given.value).split(";") if isinstance(given, n.Literal) else ():
        key, _, value = option.partition(":")
        yield key.strip().lower(), value.strip()


storage = Gorm()
