"""What a storage library answers: the table that a write goes to, and what its columns can hold."""

import re
from collections.abc import Iterator, Mapping
from typing import Protocol

import msgspec

from mappu.flow.values import Into
from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import Reader


class Column(msgspec.Struct, frozen=True):
    """One column: how many characters it holds at most, whether it may be null, whether it is filled where nothing is
    written, and the values it is limited to. None is no such limit, or one that cannot be told."""

    name: str
    declared: Place
    longest: int | None = None
    nullable: bool = True
    filled: bool = False
    values: tuple[object, ...] | None = None


class Table(msgspec.Struct, frozen=True):
    """A table or collection with the columns that are written out, by the name the code writes them under."""

    name: str
    columns: Mapping[str, Column]


class Storage(Protocol):
    """A storage library. A module of this folder offers one as `storage`."""

    name: str
    language: str

    def table(self, reader: Reader, into: Into) -> Table | None:
        """Return the table that a write goes to; None where it is none of this library, or cannot be told."""


def flag(program: Program, expr: n.Expr | None, scope: Scope) -> bool | None:
    """True or false, where an expression plainly is one."""
    found = program.constant(expr, scope)
    return found.value if found is not None and isinstance(found.value, bool) else None


def number(program: Program, expr: n.Expr | None, scope: Scope) -> int | None:
    """A whole number, written out or as text."""
    found = program.constant(expr, scope)
    if found is None or isinstance(found.value, bool):
        return None
    if isinstance(found.value, str):
        return int(found.value) if found.value.isdigit() else None
    return found.value if isinstance(found.value, int) else None


def constants(program: Program, expr: n.Expr | None, scope: Scope) -> tuple[object, ...] | None:
    """The values of a list or an enum; None where one of them cannot be told."""
    target = program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
    if target is not None and isinstance(target.node, n.Class) and target.scope is not None:
        inner = program.scope_of(target.node, target.scope)
        found = [program.constant(m.value, inner) for m in target.node.body if isinstance(m, n.Variable)]
    else:
        found = [program.constant(value, holder) for value, holder in program.elements(expr, scope)]
    return tuple(x.value for x in found if x is not None) if found and None not in found else None


def base_of(into: Into) -> n.Expr | None:
    """What the writing method is called on."""
    return into.call.func.value if isinstance(into.call.func, n.Member) else None


def record_of(program: Program, into: Into) -> Target | None:
    """What stands for the records in the source: what the method is called on, or what that is an instance of."""
    named = program.resolve(base_of(into), into.scope)
    return next((t for t in (named, into.made) if t is not None and t.scope is not None), None)


def chain(expr: n.Expr | None) -> Iterator[n.Call]:
    """The calls of a chain, outermost first."""
    while isinstance(expr, n.Call):
        yield expr
        expr = expr.func.value if isinstance(expr.func, n.Member) else None


def called(call: n.Call) -> str:
    """The last name of what a call calls."""
    return call.func.name if isinstance(call.func, n.Member) else (dotted(call.func) or "").rpartition(".")[2]


def named_in_type(program: Program, expr: n.Expr | None, scope: Scope, pattern: re.Pattern[str]) -> Target | None:
    """The class in `Repository<Pilot>`, where an expression is declared to be of such a type."""
    target = program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
    node = target.node if target is not None else None
    if target is None or target.scope is None or not isinstance(node, n.Variable | n.Param):
        return None
    type_ = node.type
    if not isinstance(type_, n.Index) or not pattern.search(dotted(type_.value) or ""):
        return None
    first = type_.index.items[0] if isinstance(type_.index, n.Items) and type_.index.items else type_.index
    return program.resolve(first, target.scope)


def _member(stmt: n.Stmt) -> n.Variable | None:
    if isinstance(stmt, n.Assign) and isinstance(stmt.targets[0], n.Name):
        return n.Variable(stmt.span, stmt.targets[0].id, None, stmt.value)
    return stmt if isinstance(stmt, n.Variable) else None


def members(program: Program, target: Target) -> dict[str, tuple[n.Variable, Scope]]:
    """The members of a class, those it inherits first."""
    found: dict[str, tuple[n.Variable, Scope]] = {}
    for each in reversed(program.ancestry(target)):
        if isinstance(each.node, n.Class) and each.scope is not None:
            inner = program.scope_of(each.node, each.scope)
            found |= {m.name: (m, inner) for stmt in each.node.body if (m := _member(stmt)) is not None}
    return found
