"""Models made in other ways than a class body of fields: enums, and types made by a call."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from mappu.inventory.model import FieldType, Place
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import walk
from mappu.vocabularies.pydantic import models, reading
from mappu.vocabularies.pydantic.config import Config
from mappu.vocabularies.shape import UNKNOWN, Rule, Shape, ShapeField

if TYPE_CHECKING:
    from mappu.vocabularies.pydantic.reading import Context


def enum(context: Context, target: Target) -> Shape:
    """An enum takes its members' values."""
    program = context.reader.program
    assert isinstance(target.node, n.Class)
    assert target.scope is not None
    scope = program.scope_of(target.node, target.scope)
    automatic = _automatic(context, target)
    values: list[object] = []
    for stmt in target.node.body:
        if (
            isinstance(stmt, n.Assign)
            and isinstance(stmt.targets[0], n.Name)
            and not stmt.targets[0].id.startswith("_")
        ):
            found = program.constant(stmt.value, scope)
            if found is None and isinstance(stmt.value, n.Items) and stmt.value.items:
                found = program.constant(stmt.value.items[0], scope)
            if found is None and isinstance(stmt.value, n.Call):
                values.append(automatic(stmt.targets[0].id, len(values)))
            elif found is not None and found.value not in values:
                values.append(found.value)
    types: set[FieldType] = {_JSON.get(type(v), "any") for v in values}
    place = context.place(target.node, target.scope)
    declared = Place(place.file, place.line, f"class {target.node.name}")
    type_: FieldType = next(iter(types)) if len(types) == 1 else "any"
    return Shape(type_, closed=True, rules=(Rule("enum", values, declared),), model=None, target=None)


def _automatic(context: Context, target: Target) -> Callable[[str, int], object]:
    """What `auto()` makes of a member's name and of how many came before it."""
    program = context.reader.program
    own = program.member(target, "_generate_next_value_")
    if own is not None and isinstance(own.node, n.Function):
        returned = next((s.value for s in walk(*own.node.body) if isinstance(s, n.Leave)), None)
        lower = isinstance(returned, n.Call) and isinstance(returned.func, n.Member) and returned.func.name == "lower"
        return lambda name, _: name.lower() if lower else name
    if program.derives(target, {"enum.StrEnum"}) is not None:
        return lambda name, _: name.lower()
    return lambda _, before: before + 1


_JSON: dict[type, FieldType] = {str: "string", int: "integer", float: "number", bool: "boolean"}


def created(context: Context, call: n.Call, scope: Scope) -> Shape:
    """`create_model("Name", field=(type, default), __base__=Base)`."""
    program = context.reader.program
    fields: list[ShapeField] = []
    base = program.resolve(call.keyword("__base__"), scope)
    if base is not None and isinstance(base.node, n.Class):
        fields.extend(models.of_class(context, base).fields)
    if any(a.spread for a in call.args):
        return UNKNOWN
    for arg in call.args:
        if arg.name is None or arg.name.startswith("__") or not isinstance(arg.value, n.Items):
            continue
        type_, *rest = arg.value.items
        stmt = n.Variable(arg.value.span, arg.name, type_, rest[0] if rest else None)
        field = models.declared_field(context, stmt, scope, Config(), "model", True)
        if field is not None:
            fields.append(field)
    name = program.text(call.positional[0], scope) if call.positional else None
    return Shape("object", closed=True, model=name, fields=tuple(fields))


def inline(context: Context, call: n.Call, scope: Scope) -> Shape:
    """`TypedDict("Name", {"field": type})`."""
    given = call.positional[1]
    fields = []
    for key, type_ in given.entries if isinstance(given, n.Entries) else ():
        if isinstance(key, n.Literal) and isinstance(key.value, str):
            shape = reading.read(context, type_, scope)
            fields.append(ShapeField(key.value, key.value, shape, True, context.place(key, scope)))
    return Shape(
        "object", closed=True, model=context.reader.program.text(call.positional[0], scope), fields=tuple(fields)
    )
