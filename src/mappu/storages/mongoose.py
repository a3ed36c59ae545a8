"""Mongoose: schemas whose own rules run when a document is saved, which is too late for a clean answer."""

import re

from mappu.flow.values import Into
from mappu.storages.base import (  # fmt: skip
    Column,
    Table,
    base_of,
    constants,
    flag,
    members,
    named_in_type,
    number,
    record_of,
)
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, entry
from mappu.vocabularies.shape import Reader

_MODEL = re.compile(r"(?:^|\.)(?:\w*Model)$")


class Mongoose:
    """The library."""

    name = "mongoose"
    language = "javascript"

    def table(self, reader: Reader, into: Into) -> Table | None:
        program = reader.program
        typed = named_in_type(program, base_of(into), into.scope, _MODEL)
        target = typed or record_of(program, into)
        if target is None or target.scope is None:
            return None
        if isinstance(target.node, n.Class):
            return self._of_class(reader, target)
        call = target.node.value if isinstance(target.node, n.Variable | n.Assign) else None
        if isinstance(call, n.Call) and len(call.positional) > 1 and _last(call) == "model":
            made = program.value(call.positional[1], target.scope)
            if made is not None and isinstance(made[0], n.Call) and _last(made[0]) == "Schema" and made[0].positional:
                written = program.value(made[0].positional[0], made[1])
                if written is not None and isinstance(written[0], n.Entries):
                    return self._of_entries(reader, program.text(call.positional[0], target.scope) or "", *written)
        return None

    def _of_entries(self, reader: Reader, name: str, written: n.Expr, scope: Scope) -> Table:
        found = {}
        for key, value in written.entries if isinstance(written, n.Entries) else ():
            if isinstance(key, n.Literal) and isinstance(key.value, str) and entry(value, "type") is not None:
                found[key.value] = self._column(reader, key.value, key, value, scope)
        return Table(name, found)

    def _of_class(self, reader: Reader, target: Target) -> Table | None:
        assert isinstance(target.node, n.Class)
        found = {}
        for member, scope in members(reader.program, target).values():
            for mark in member.marks:
                name = reader.program.name_of(mark.name, scope) or ""
                if name == "@nestjs/mongoose.Prop":
                    options = mark.args[0].value if mark.args else None
                    found[member.name] = self._column(reader, member.name, member, options, scope)
        return Table(target.node.name, found) if found else None

    @staticmethod
    def _column(reader: Reader, name: str, node: n.Node, options: n.Expr | None, scope: Scope) -> Column:
        program = reader.program

        def given(word: str) -> n.Expr | None:
            # A limit may stand with its message: `[60, 'too long']`.
            value = entry(options, word)
            return value.items[0] if isinstance(value, n.Items) and value.items and word != "enum" else value

        listed = given("enum")
        values = constants(program, entry(listed, "values") or listed, scope)
        return Column(
            name, scope.module.place(node), number(program, given("maxlength") or given("maxLength"), scope),
            flag(program, given("required"), scope) is not True, given("default") is not None, values,
        )  # fmt: skip


def _last(call: n.Call) -> str:
    func = call.func
    return func.name if isinstance(func, n.Member) else (dotted(func) or "")


storage = Mongoose()
