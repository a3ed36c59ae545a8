"""Types as pydantic reads them: from an annotation to a shape."""

from collections.abc import Mapping

import msgspec

from mappu.inventory.model import ConstraintKind, FieldType, Place, Unfollowed
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax import python
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.pydantic import limits, made, models, validators
from mappu.vocabularies.pydantic.types import (
    ANNOTATED,
    ANYTHING,
    CONSTRAINED,
    LISTS,
    LITERALS,
    MAPS,
    NEEDS,
    PRIVATE,
    SETS,
    TUPLES,
    TYPES,
    UNIONS,
    WRAPPERS,
)  # fmt: skip
from mappu.vocabularies.shape import UNKNOWN, Reader, Rule, Shape, ShapeField

MAX_DEPTH = 12
ENUMS = frozenset({"enum.Enum", "enum.IntEnum", "enum.StrEnum", "enum.Flag", "enum.IntFlag"})
_NEW_TYPES = frozenset({"typing.NewType", "typing_extensions.NewType"})
_TYPE_VARS = frozenset({"typing.TypeVar", "typing_extensions.TypeVar"})

# A type variable's name to what stands for it here.
Bound = Mapping[str, tuple[n.Expr, Scope]]


class Context(msgspec.Struct, frozen=True):
    """What is known on the way down into a type: type arguments, and the models being read already."""

    reader: Reader
    version: int
    bound: Bound = {}
    inside: tuple[str, ...] = ()
    # Text settings of the model around, which count for every plain string in it.
    text_rules: tuple[Rule, ...] = ()

    def at(self, scope: Scope) -> limits.At:
        return limits.At(self.reader.program, scope)

    def place(self, node: n.Node, scope: Scope) -> Place:
        return self.at(scope).of(node)

    def within(self, **changes: object) -> "Context":
        return msgspec.structs.replace(self, **changes)


def read(context: Context, expr: n.Expr | None, scope: Scope) -> Shape:
    """Return the shape of a type annotation seen from `scope`."""
    if len(context.inside) > MAX_DEPTH:
        return UNKNOWN
    match expr:
        case None:
            return Shape()
        case n.Literal(value=None):
            return Shape(none=True, nullable=True)
        case n.Literal(value=str() as text):
            return read(context, python.expression(text, expr.span), scope)
        case n.Binary(op="|"):
            return union(context, _arms(expr), scope, expr)
        case n.Name() | n.Member():
            return _named(context, expr, scope)
        case n.Index(value=base, index=index):
            args = index.items if isinstance(index, n.Items) and index.kind == "tuple" else (index,)
            return _generic(context, base, args, scope, expr)
        case n.Call():
            return _called(context, expr, scope)
    return _unfollowed(context, expr, scope, "this type")


def union(context: Context, arms: tuple[n.Expr, ...], scope: Scope, expr: n.Expr) -> Shape:
    """Return the one shape of several alternatives: fields of all of them, limits kept with a note that they differ."""
    shapes = [read(context, arm, scope) for arm in arms]
    real = [s for s in shapes if not s.none]
    nullable = len(real) < len(shapes) or any(s.nullable for s in real)
    if len(real) == 1:
        return real[0].with_(nullable=nullable)
    return merge(real, nullable, context.place(expr, scope))


def merge(shapes: list[Shape], nullable: bool, place: Place) -> Shape:
    """Join alternatives."""
    if not shapes:
        return Shape(none=True, nullable=True)
    types = sorted({s.type for s in shapes})
    same = types[0] if len(types) == 1 else "number" if types == ["integer", "number"] else "any"
    rules: list[Rule] = []
    if same == "any" and "any" not in types:
        rules.append(Rule("type", types, place))
    for rule in _joined_rules(shapes):
        rules.append(rule)
    by_wire: dict[str, list[ShapeField]] = {}
    for shape in shapes:
        for field in shape.fields:
            by_wire.setdefault(field.wire, []).append(field)
    # An alternative that is no object at all says nothing of what an object must have.
    objects = sum(bool(s.fields) for s in shapes)
    fields = []
    for each in by_wire.values():
        inner = [f.shape for f in each]
        joined = inner[0] if len(inner) == 1 else merge(inner, any(s.nullable for s in inner), place)
        required = len(each) == objects and all(f.required for f in each)
        fields.append(msgspec.structs.replace(each[0], shape=joined, required=required))
    return Shape(
        same, nullable, closed=all(s.closed for s in shapes), known=all(s.known for s in shapes), rules=tuple(rules),
        fields=tuple(fields), items=next((s.items for s in shapes if s.items), None),
        values=next((s.values for s in shapes if s.values), None),
        model=" | ".join(dict.fromkeys(s.model for s in shapes if s.model)) or None,
        extra="allow" if any(s.extra == "allow" for s in shapes) else "ignore", alternatives=True,
        notes=tuple(x for s in shapes for x in s.notes), needs=tuple(x for s in shapes for x in s.needs),
        unfollowed=tuple(x for s in shapes for x in s.unfollowed),
        skipped=next((s.skipped for s in shapes if s.skipped), None),
    )  # fmt: skip


def _joined_rules(shapes: list[Shape]) -> list[Rule]:
    """Limits of alternatives: members of enums together, the others once each; one that only some have is dropped where
    an alternative of the same type lets anything through."""
    listed: list[object] = []
    first_enum = None
    if all(any(r.kind in ("enum", "const") for r in s.rules) for s in shapes):
        for shape in shapes:
            for rule in shape.rules:
                if rule.kind in ("enum", "const"):
                    first_enum = first_enum or rule
                    values = rule.value if isinstance(rule.value, list) else [rule.value]
                    listed.extend(v for v in values if v not in listed)
    found = [Rule("enum", listed, first_enum.declared)] if first_enum is not None else []
    for shape in shapes:
        for rule in shape.rules:
            if rule.kind in ("enum", "const") and first_enum is not None:
                continue
            loose = any(s.type in (shape.type, "any") and all(r.kind != rule.kind for r in s.rules) for s in shapes)
            if not loose and all((r.kind, r.value) != (rule.kind, rule.value) for r in found):
                found.append(rule)
    return found


def _arms(expr: n.Expr) -> tuple[n.Expr, ...]:
    if isinstance(expr, n.Binary) and expr.op == "|":
        return (*_arms(expr.left), *_arms(expr.right))
    return (expr,)


def _named(context: Context, expr: n.Name | n.Member, scope: Scope) -> Shape:
    if isinstance(expr, n.Name) and expr.id in context.bound:
        bound, holder = context.bound[expr.id]
        return read(context.within(bound={}), bound, holder)
    target = context.reader.program.resolve(expr, scope)
    if target is None:
        return _unfollowed(context, expr, scope, f"`{dotted(expr)}`")
    return of_target(context, target, expr, scope)


def of_target(context: Context, target: Target, expr: n.Expr, scope: Scope) -> Shape:
    """Return the shape of a named type."""
    name = target.name
    house = next((h for h in context.reader.house if h.type == name), None)
    if house is not None:
        rules = tuple(Rule(k, v, context.place(expr, scope)) for k, v in house.constraints.items())
        return Shape("string" if target.node is None else "any", rules=rules)
    if name in TYPES:
        return _table_type(context, name, context.place(expr, scope))
    if name in ANYTHING:
        return Shape()
    if name in LISTS or name in SETS:
        rules = (Rule("uniqueItems", True, context.place(expr, scope)),) if name in SETS else ()
        return Shape("array", items=Shape(), rules=rules)
    if name in MAPS:
        return Shape("object", values=Shape())
    node = target.node
    if isinstance(node, n.Class):
        return models.of_class(context, target)
    if target.scope is None:
        return _unfollowed(context, expr, scope, f"`{name}`, which is not in the scanned source,")
    # A name for a type may stand inside itself once, as one for JSON does; one that is nothing but itself leads nowhere.
    if isinstance(node, n.Alias | n.Assign | n.Variable) and node.value is not None and context.inside.count(name) < 2:
        return read(context.within(inside=(*context.inside, name)), node.value, target.scope)
    return _unfollowed(context, expr, scope, f"`{name}`")


def _table_type(context: Context, name: str, place: Place) -> Shape:
    type_, format_, more = TYPES[name]
    kinds: list[tuple[ConstraintKind, object]] = [("format", format_)] if format_ is not None else []
    rules = tuple(Rule(k, v, place) for k, v in (*kinds, *more.items()))
    needs = ((NEEDS[name], place),) if name in NEEDS else ()
    text = context.text_rules if name == "str" else ()
    return Shape(type_, closed=type_ == "boolean", rules=(*rules, *text), needs=needs)


def _generic(context: Context, base: n.Expr, args: tuple[n.Expr, ...], scope: Scope, expr: n.Index) -> Shape:
    program = context.reader.program
    target = program.resolve(base, scope)
    name = target.name if target is not None else ""
    place = context.place(expr, scope)
    if name in UNIONS:
        arms = (*args, n.Literal(expr.span, None)) if name.endswith("Optional") else args
        return union(context, tuple(a for arg in arms for a in _arms(arg)), scope, expr)
    if name in ANNOTATED:
        return annotated(context, read(context, args[0], scope), args[1:], scope)
    if name in LITERALS:
        return _literals(context, args, scope, place)
    if name in WRAPPERS or name in PRIVATE:
        return read(context, args[0], scope)
    if name in TUPLES:
        return _tuple(context, args, scope, place)
    if name in LISTS:
        return Shape("array", items=read(context, args[0], scope))
    if name in SETS:
        return Shape("array", items=read(context, args[0], scope), rules=(Rule("uniqueItems", True, place),))
    if name in MAPS:
        return Shape("object", values=read(context, args[-1], scope) if len(args) > 1 else Shape())
    if name.startswith("pydantic") and name.endswith(".Json"):
        return _table_type(context, name, place)
    if name.endswith("Secret") and name.startswith("pydantic"):
        return read(context, args[0], scope)
    if target is not None and isinstance(target.node, n.Class):
        bound = models.type_arguments(context, target, args, scope)
        return models.of_class(context.within(bound=bound), target)
    if target is not None and isinstance(target.node, n.Alias) and target.scope is not None:
        pairs = zip(target.node.type_params, args, strict=False)
        bound = {p: resolved(context, a, scope) for p, a in pairs}
        return read(context.within(bound=bound), target.node.value, target.scope)
    if target is not None and isinstance(target.node, n.Assign | n.Variable) and target.node.value is not None:
        assert target.scope is not None
        free = _type_variables(context, target.node.value, target.scope)
        bound = {v: resolved(context, a, scope) for v, a in zip(free, args, strict=False)}
        return read(context.within(bound=bound), target.node.value, target.scope)
    if name in ("type", "typing.Type"):
        return Shape()
    return _unfollowed(context, base, scope, f"`{dotted(base)}`")


def resolved(context: Context, arg: n.Expr, scope: Scope) -> tuple[n.Expr, Scope]:
    """A type argument with the scope its names are seen from; one that is itself a variable leads on."""
    if isinstance(arg, n.Name) and arg.id in context.bound:
        return context.bound[arg.id]
    return arg, scope


def _type_variables(context: Context, expr: n.Expr, scope: Scope) -> list[str]:
    found: list[str] = []
    for node in walk(expr):
        if isinstance(node, n.Name) and node.id not in found:
            target = context.reader.program.resolve(node, scope)
            made = target.node.value if target is not None and isinstance(target.node, n.Assign) else None
            if isinstance(made, n.Call) and context.reader.program.name_of(made.func, scope) in _TYPE_VARS:
                found.append(node.id)
    return found


def annotated(context: Context, shape: Shape, items: tuple[n.Expr, ...], scope: Scope) -> Shape:
    """Lay the metadata of an `Annotated[…]` on a shape."""
    program = context.reader.program
    for item in items:
        followed = program.value(item, scope) if isinstance(item, n.Name | n.Member) else (item, scope)
        inner, holder = followed if followed is not None else (item, scope)
        named = inner.func if isinstance(inner, n.Call) else inner
        name = program.name_of(named, holder) or dotted(named) or ""
        house = next((h for h in context.reader.house if h.annotation == name), None)
        if house is not None:
            place = context.place(item, scope)
            shape = shape.with_(rules=(*shape.rules, *(Rule(k, v, place) for k, v in house.constraints.items())))
        else:
            shape = limits.metadata(shape, inner, name, context.at(holder), context.version)
            shape = validators.function_rules(context, shape, inner, holder)
    return shape


def _literals(context: Context, args: tuple[n.Expr, ...], scope: Scope, place: Place) -> Shape:
    values: list[object] = []
    nullable = False
    for arg in args:
        found = context.reader.program.constant(arg, scope)
        if found is None:
            nested = read(context, arg, scope)
            inner = next((r.value for r in nested.rules if r.kind in ("enum", "const")), None)
            values.extend(inner if isinstance(inner, list) else [inner] if inner is not None else [])
        elif found.value is None:
            nullable = True
        else:
            values.append(found.value)
    types = {type(v) for v in values}
    json: dict[type, FieldType] = {str: "string", int: "integer", bool: "boolean", float: "number"}
    type_: FieldType = json.get(next(iter(types)), "any") if len(types) == 1 else "any"
    rule = Rule("const", values[0], place) if len(values) == 1 else Rule("enum", values, place)
    return Shape(type_, nullable=nullable, closed=True, rules=(rule,))


def _tuple(context: Context, args: tuple[n.Expr, ...], scope: Scope, place: Place) -> Shape:
    real = [a for a in args if not isinstance(a, n.Opaque)]
    if len(real) < len(args):
        return Shape("array", items=read(context, real[0], scope) if real else Shape())
    items = merge([read(context, a, scope) for a in real], False, place) if real else Shape()
    size = (Rule("minItems", len(real), place), Rule("maxItems", len(real), place))
    return Shape("array", items=items, rules=size)


def _called(context: Context, call: n.Call, scope: Scope) -> Shape:
    """Types made by a call: constrained types, new types, type variables, enums."""
    program = context.reader.program
    name = program.name_of(call.func, scope) or ""
    if name in CONSTRAINED:
        type_, has_items = CONSTRAINED[name]
        items = read(context, call.argument(0, "item_type"), scope) if has_items else None
        place = context.place(call, scope)
        kinds: list[tuple[ConstraintKind, object]] = [("format", "date")] if name.endswith("condate") else []
        kinds += [("uniqueItems", True)] if name.endswith("set") else []
        given = tuple(Rule(kind, value, place) for kind, value in kinds)
        return limits.apply(Shape(type_, items=items, rules=given), call, context.at(scope), context.version)
    if name in _NEW_TYPES and len(call.positional) == 2:
        return read(context, call.positional[1], scope)
    if name in _TYPE_VARS:
        default = call.keyword("default") or call.keyword("bound")
        return read(context, default, scope) if default is not None else Shape()
    if name in ENUMS:
        return Shape("any", closed=True, rules=(Rule("enum", [], context.place(call, scope)),))
    if name.endswith("TypeAliasType") and len(call.positional) == 2:
        return read(context, call.positional[1], scope)
    if name.endswith(".create_model"):
        return made.created(context, call, scope)
    if name.endswith((".TypedDict", ".NamedTuple")) and len(call.positional) == 2:
        return made.inline(context, call, scope)
    return _unfollowed(context, call, scope, f"`{dotted(call.func)}(…)`")


def _unfollowed(context: Context, expr: n.Expr, scope: Scope, what: str) -> Shape:
    place = context.place(expr, scope)
    note = Unfollowed(place.file, place.line, f"{what} could not be followed as a type")
    return UNKNOWN.with_(unfollowed=(note,))
