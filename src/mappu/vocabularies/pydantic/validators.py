"""Validator methods of a model, as `custom` constraints on the fields they look at."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import walk
from mappu.vocabularies.shape import Note, Rule, Shape, ShapeField

if TYPE_CHECKING:
    from mappu.vocabularies.pydantic.reading import Context

FIELD_MARKS = frozenset({f"{p}.{name}" for p in ("pydantic", "pydantic.functional_validators", "pydantic.v1",
                         "pydantic.class_validators") for name in ("field_validator", "validator")})  # fmt: skip
MODEL_MARKS = frozenset({f"{p}.{name}" for p in ("pydantic", "pydantic.functional_validators", "pydantic.v1",
                         "pydantic.class_validators") for name in ("model_validator", "root_validator")})  # fmt: skip

# Errors that pydantic turns into a refusal; anything else raised in a validator goes through as a 5xx (observed).
_REFUSING = frozenset({"ValueError", "AssertionError", "pydantic_core.PydanticCustomError", "pydantic.ValidationError",
                       "pydantic_core.ValidationError", "pydantic_core.PydanticKnownError",
                       "pydantic_core.PydanticUseDefault", "pydantic_core.PydanticOmit"})  # fmt: skip
_ANSWERING = frozenset(
    {"fastapi.HTTPException", "fastapi.exceptions.HTTPException", "starlette.exceptions.HTTPException"}
)
_VALUE_ERRORS = frozenset({"UnicodeError", "UnicodeDecodeError", "json.JSONDecodeError"})
# Calls that raise a ValueError by themselves where the text does not fit.
_CONVERTING = frozenset({"int", "float", "uuid.UUID", "datetime.datetime.fromisoformat", "datetime.date.fromisoformat",
                         "datetime.datetime.strptime", "json.loads", "ipaddress.ip_address", "ipaddress.ip_network",
                         "zoneinfo.ZoneInfo"})  # fmt: skip
MAX_DEPTH = 4


def lay(context: Context, shape: Shape, target: Target) -> Shape:
    """Lay the validator methods of a class and its ancestors on its shape."""
    program = context.reader.program
    by_name: dict[str, list[Rule]] = {}
    everywhere: list[Rule] = []
    notes: list[Note] = []
    seen: set[str] = set()
    names = {f.name for f in shape.fields}
    for ancestor in program.ancestry(target):
        if not isinstance(ancestor.node, n.Class) or ancestor.scope is None:
            continue
        scope = program.scope_of(ancestor.node, ancestor.scope)
        for method in ancestor.node.methods:
            mark = next((m for m in method.marks if _mark_name(context, m, scope)), None)
            if mark is None or method.name in seen:
                continue
            seen.add(method.name)
            name = _mark_name(context, mark, scope)
            breaks, refuses = refusal(context, method, scope)
            rule = Rule("custom", method.name, context.place(mark, scope), breaks=breaks, mend="refuse-in-rule")
            if name in FIELD_MARKS:
                asked = [t for a in mark.args or () if (t := program.text(a.value, scope)) and a.name is None]
                missing = [f for f in asked if f not in names and f != "*" and shape.fields]
                notes.extend(_no_field(context, mark, method, f, scope) for f in missing)
                for field in names if "*" in asked else asked:
                    if refuses:
                        by_name.setdefault(field, []).append(rule)
            elif refuses:
                read = _looked_at(method) & names
                for field in read:
                    by_name.setdefault(field, []).append(rule)
                if not read:
                    everywhere.append(rule)
    if not shape.fields:
        root = [r for found in by_name.values() for r in found] + everywhere
        return shape.with_(rules=(*shape.rules, *root), notes=(*shape.notes, *notes))
    fields = tuple(_with_rules(f, [*by_name.get(f.name, ()), *everywhere]) for f in shape.fields)
    return shape.with_(fields=fields, notes=(*shape.notes, *notes))


def _mark_name(context: Context, mark: n.Mark, scope: Scope) -> str | None:
    name = context.reader.program.name_of(mark.name, scope)
    return name if name in FIELD_MARKS or name in MODEL_MARKS else None


def _with_rules(field: ShapeField, rules: list[Rule]) -> ShapeField:
    if not rules:
        return field
    return msgspec.structs.replace(field, shape=field.shape.with_(rules=(*field.shape.rules, *rules)))


def _no_field(context: Context, mark: n.Mark, method: n.Function, field: str, scope: Scope) -> Note:
    why = f"`{method.name}` is a validator for `{field}`, and the model has no field of that name: it never runs"
    return Note("no-effect", context.place(mark, scope), why, "name a field of the model")


def _looked_at(method: n.Function) -> set[str]:
    """Fields a whole-model validator reads: `self.x`, `values["x"]`, `values.get("x")`."""
    receivers = {p.name for p in method.params}
    found: set[str] = set()
    for node in walk(*method.body):
        match node:
            case n.Member(value=n.Name(id=base), name=name) if base in receivers:
                found.add(name)
            case n.Index(value=n.Name(id=base), index=n.Literal(value=str() as key)) if base in receivers:
                found.add(key)
            case n.Call(func=n.Member(value=n.Name(id=base), name="get"), args=args) if base in receivers and args:
                if isinstance(args[0].value, n.Literal) and isinstance(args[0].value.value, str):
                    found.add(args[0].value.value)
    return found


def refusal(context: Context, function: n.Function, scope: Scope, depth: int = 0) -> tuple[str | None, bool]:
    """Tell whether a validator can refuse a value at all, and why its refusal ends as a 5xx, where it does."""
    memo = context.reader.memo
    if id(function) not in memo:
        memo[id(function)] = (None, False)
        memo[id(function)] = _refusal(context, function, scope, depth)
    return memo[id(function)]


def _refusal(context: Context, function: n.Function, scope: Scope, depth: int) -> tuple[str | None, bool]:
    program = context.reader.program
    inner = program.scope_of(function, scope)
    breaks: str | None = None
    refuses = False
    good = False
    for node in walk(*function.body):
        if isinstance(node, n.Leave) and node.kind == "raise" and node.value is not None:
            refuses = True
            callee = node.value.func if isinstance(node.value, n.Call) else node.value
            target = program.resolve(callee, inner)
            if target is None or _turned_away(context, target):
                good = True
            else:
                last = target.name.rpartition(".")[2]
                breaks = f"`{function.name}` raises {last}, which is no ValueError: it goes through as a 5xx"
        elif isinstance(node, n.Call):
            target = program.resolve(node.func, inner)
            if target is None:
                continue
            if isinstance(target.node, n.Function) and target.scope is not None and depth < MAX_DEPTH:
                deeper, can = refusal(context, target.node, target.scope, depth + 1)
                refuses, breaks = refuses or can, breaks or deeper
                good = good or (can and deeper is None)
            elif target.name in _CONVERTING or (target.node is None and "valid" in target.name.lower()):
                refuses = good = True
    return (None if good else breaks), refuses


def _turned_away(context: Context, target: Target) -> bool:
    program = context.reader.program
    made = program.class_of(target) if target.node is not None and not isinstance(target.node, n.Class) else None
    for ancestor in program.ancestry(made or target):
        if ancestor.name in _REFUSING or ancestor.name in _ANSWERING or ancestor.name in _VALUE_ERRORS:
            return True
    return False


def function_rules(context: Context, shape: Shape, item: n.Expr, scope: Scope) -> Shape:
    """Drop the custom rule of an annotated validator function that never refuses anything."""
    if not (isinstance(item, n.Call) and shape.rules and shape.rules[-1].kind == "custom" and item.positional):
        return shape
    target = context.reader.program.resolve(item.positional[0], scope)
    if target is None or not isinstance(target.node, n.Function) or target.scope is None:
        return shape
    breaks, refuses = refusal(context, target.node, target.scope)
    if not refuses:
        return shape.with_(rules=shape.rules[:-1])
    last = msgspec.structs.replace(shape.rules[-1], breaks=breaks, mend="refuse-in-rule")
    return shape.with_(rules=(*shape.rules[:-1], last))
