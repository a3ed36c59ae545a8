"""Classes as pydantic reads them: fields with inheritance, config, validators; enums, dataclasses and typed dicts."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Literal

import msgspec

from mappu.inventory.model import FieldType, Place
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax import python
from mappu.vocabularies.pydantic import limits, reading, validators
from mappu.vocabularies.pydantic.types import ANNOTATED, PRIVATE, RENAMED_CONFIG, WRAPPERS
from mappu.vocabularies.shape import UNKNOWN, Default, Note, Rule, Shape, ShapeField

if TYPE_CHECKING:
    from mappu.vocabularies.pydantic.reading import Bound, Context

SETTINGS = frozenset({"pydantic_settings.BaseSettings", "pydantic.BaseSettings", "pydantic_settings.main.BaseSettings",
                      "pydantic.v1.BaseSettings"})  # fmt: skip
ROOTS = frozenset({"pydantic.RootModel", "pydantic.root_model.RootModel"})
TABLES = frozenset({"sqlmodel.SQLModel", "sqlmodel.main.SQLModel"})
DOCUMENTS = frozenset({"beanie.Document", "odmantic.Model", "ormar.Model", "redis_om.HashModel", "redis_om.JsonModel"})
BASES = frozenset({
    "pydantic.BaseModel", "pydantic.main.BaseModel", "pydantic.v1.BaseModel", "pydantic.generics.GenericModel",
    "fastapi_camelcase.CamelModel", *SETTINGS, *ROOTS, *TABLES, *DOCUMENTS,
})  # fmt: skip
DATACLASSES = frozenset({"dataclasses.dataclass", "pydantic.dataclasses.dataclass"})
RECORDS = frozenset({"typing.TypedDict", "typing_extensions.TypedDict", "typing.NamedTuple"})
ORM_BASES = frozenset({"sqlalchemy.orm.DeclarativeBase", "sqlalchemy.ext.declarative.declarative_base"})

_CAMEL = ("to_camel", "to_lower_camel", "camelize", "to_camel_case", "snake_to_camel", "camel_case")


class Config(msgspec.Struct, frozen=True):
    """The settings of a model that change what its fields let through, with the renamed ones that do nothing."""

    extra: Literal["ignore", "forbid", "allow"] = "ignore"
    by_name: bool = False
    generator: str | None = None
    text_rules: tuple[Rule, ...] = ()
    notes: tuple[Note, ...] = ()


def kind_of(context: Context, target: Target) -> str | None:
    """Tell what a class is to pydantic: model, root, enum, dataclass, record, or None."""
    program = context.reader.program
    found = program.derives(target, BASES | reading.ENUMS | RECORDS)
    if found is not None:
        if found in ROOTS:
            return "root"
        return "enum" if found in reading.ENUMS else "record" if found in RECORDS else "model"
    if isinstance(target.node, n.Class) and target.scope is not None:
        for mark in target.node.marks:
            if program.name_of(mark.name, target.scope) in DATACLASSES:
                return "dataclass"
    return None


def is_entity(context: Context, target: Target) -> bool:
    """True for a class that stands for a table or a collection in storage."""
    program = context.reader.program
    for ancestor in program.ancestry(target):
        node = ancestor.node
        if ancestor.name in DOCUMENTS:
            return True
        if isinstance(node, n.Class):
            if any(a.name == "table" and isinstance(a.value, n.Literal) and a.value.value is True for a in node.bases):
                return True
            names = {t for s in node.body if isinstance(s, n.Assign) for t in map(n.dotted, s.targets)}
            if "__tablename__" in names or "__table__" in names:
                return True
    return False


def is_table(context: Context, target: Target) -> bool:
    """True for a class made with `table=True`, whose rules do not run (observed)."""
    return context.reader.program.derives(target, TABLES) is not None and is_entity(context, target)


def of_class(context: Context, target: Target) -> Shape:
    """Return the shape of a class of the service."""
    node = target.node
    assert isinstance(node, n.Class)
    kind = kind_of(context, target)
    if kind == "enum":
        return _enum(context, target)
    if kind is None:
        plain = UNKNOWN.with_(target=target, model=node.name)
        return plain if not is_entity(context, target) else plain.with_(entity=True)
    if context.inside.count(target.name) > 1:
        # A model inside itself is laid out one level down, which shows what there is to see.
        return Shape("object", closed=True, model=node.name, target=target)
    inner = context.within(inside=(*context.inside, target.name))
    if kind == "root":
        return _root(inner, target)
    config = _config(inner, target)
    fields = tuple(_fields(inner, target, config, kind))
    shape = Shape(
        "object", closed=True, model=node.name, target=target, fields=fields, extra=config.extra,
        entity=is_entity(context, target), notes=config.notes,
        needs=tuple(x for f in fields for x in f.shape.needs),
        unfollowed=tuple(x for f in fields for x in f.shape.unfollowed),
    )  # fmt: skip
    if is_table(context, target):
        shape = shape.with_(
            skipped=f"{node.name} is a table class (table=True): binding it runs neither rules nor types"
        )
    return validators.lay(inner, shape, target)


def type_arguments(context: Context, target: Target, args: tuple[n.Expr, ...], scope: Scope) -> Bound:
    """Return what the class's type variables stand for in `Class[args]`."""
    assert isinstance(target.node, n.Class)
    names = list(target.node.type_params)
    for base in target.node.bases:
        if not names and isinstance(base.value, n.Index):
            index = base.value.index
            listed = index.items if isinstance(index, n.Items) else (index,)
            names = [i.id for i in listed if isinstance(i, n.Name)]
    return {name: reading.resolved(context, arg, scope) for name, arg in zip(names, args, strict=False)}


def _lineage(context: Context, target: Target) -> Iterator[tuple[Target, Context]]:
    """Yield the class and its ancestors of the service, furthest first, each with what its type variables stand for."""
    found: list[tuple[Target, Context]] = []
    program = context.reader.program
    known: dict[str, Bound] = {target.name: context.bound}
    for ancestor in program.ancestry(target):
        node = ancestor.node
        if not isinstance(node, n.Class) or ancestor.scope is None:
            continue
        here = context.within(bound=known.get(ancestor.name, {}))
        found.append((ancestor, here))
        for base in node.bases:
            if isinstance(base.value, n.Index):
                parent = program.resolve(base.value.value, ancestor.scope)
                index = base.value.index
                args = index.items if isinstance(index, n.Items) else (index,)
                if parent is not None and isinstance(parent.node, n.Class):
                    known[parent.name] = type_arguments(here, parent, args, ancestor.scope)
    return reversed(found)


def _fields(context: Context, target: Target, config: Config, kind: str) -> Iterator[ShapeField]:
    found: dict[str, ShapeField] = {}
    total = _total(target)
    for ancestor, here in _lineage(context, target):
        assert isinstance(ancestor.node, n.Class)
        assert ancestor.scope is not None
        scope = context.reader.program.scope_of(ancestor.node, ancestor.scope)
        here = here.within(text_rules=config.text_rules)
        for stmt in ancestor.node.body:
            if isinstance(stmt, n.Variable) and stmt.type is not None and not _private(here, stmt, scope):
                field = _field(here, stmt, scope, config, kind, total)
                if field is None:
                    found.pop(stmt.name, None)
                else:
                    found[stmt.name] = field
            elif isinstance(stmt, n.Assign) and len(stmt.targets) == 1:
                name = n.dotted(stmt.targets[0])
                if name in found:
                    old = found[name]
                    default = Default(*_constant(here, stmt.value, scope), context.place(stmt, scope))
                    found[name] = msgspec.structs.replace(old, required=False, default=default)
    yield from found.values()


def _total(target: Target) -> bool:
    assert isinstance(target.node, n.Class)
    return not any(
        a.name == "total" and isinstance(a.value, n.Literal) and a.value.value is False for a in target.node.bases
    )


def _private(context: Context, stmt: n.Variable, scope: Scope) -> bool:
    if stmt.name.startswith("_") or stmt.name == "model_config":
        return True
    type_ = stmt.type
    if isinstance(type_, n.Literal) and isinstance(type_.value, str):
        type_ = python.expression(type_.value, type_.span)
    outer = type_.value if isinstance(type_, n.Index) else type_
    return context.reader.program.name_of(outer, scope) in PRIVATE


def _constant(context: Context, expr: n.Expr | None, scope: Scope) -> tuple[bool, object]:
    found = context.reader.program.constant(expr, scope)
    if found is not None:
        return True, found.value
    if isinstance(expr, n.Items) and not expr.items:
        return True, []
    return False, None


def field_call(context: Context, expr: n.Expr | None, scope: Scope) -> n.Call | None:
    """Return the `Field(...)` call (or the framework's parameter function) an expression is, or None."""
    followed = context.reader.program.value(expr, scope) if isinstance(expr, n.Name) else (expr, scope)
    inner = followed[0] if followed is not None else expr
    if not isinstance(inner, n.Call):
        return None
    name = context.reader.program.name_of(inner.func, scope) or ""
    known = name in limits.FIELD_CALLS or name in limits.PARAMETER_CALLS
    return inner if known or name in ("dataclasses.field", "pydantic.PrivateAttr", "sqlmodel.Relationship") else None


def _field(
    context: Context, stmt: n.Variable, scope: Scope, config: Config, kind: str, total: bool
) -> ShapeField | None:
    assert stmt.type is not None
    shape = reading.read(context, stmt.type, scope)
    call = field_call(context, stmt.value, scope)
    place = context.place(stmt, scope)
    required, default = stmt.value is None, None
    calls = [*_annotated_calls(context, stmt.type, scope), *([call] if call is not None else [])]
    if call is not None:
        name = context.reader.program.name_of(call.func, scope) or ""
        if name in ("pydantic.PrivateAttr", "sqlmodel.Relationship"):
            return None
        shape = limits.apply(shape, call, context.at(scope), context.version)
    shape = _own_limit_wins(shape, context.text_rules)
    if calls:
        required, default = _default_of(context, calls, scope)
    if call is None and stmt.value is not None:
        ellipsis = isinstance(stmt.value, n.Opaque) and stmt.value.text == "..."
        required = ellipsis
        default = None if ellipsis else Default(*_constant(context, stmt.value, scope), place)
    if required and context.version == 1 and shape.nullable:
        required = False
    if kind == "record":
        required = _record_required(context, stmt.type, scope, total)
    return ShapeField(stmt.name, _wire(context, stmt.name, calls, config, scope), shape, required, place, default)


def _own_limit_wins(shape: Shape, general: tuple[Rule, ...]) -> Shape:
    """Drop a text limit of the whole model where the field has one of its own."""
    own = {r.kind for r in shape.rules if r not in general}
    return shape.with_(rules=tuple(r for r in shape.rules if r not in general or r.kind not in own))


def _annotated_calls(context: Context, type_: n.Expr, scope: Scope) -> list[n.Call]:
    """The `Field(...)` calls among a type's metadata, also behind a named alias."""
    followed = context.reader.program.value(type_, scope) if isinstance(type_, n.Name | n.Member) else (type_, scope)
    inner, holder = followed if followed is not None else (type_, scope)
    if not isinstance(inner, n.Index) or context.reader.program.name_of(inner.value, holder) not in ANNOTATED:
        return []
    items = inner.index.items if isinstance(inner.index, n.Items) else ()
    found = _annotated_calls(context, items[0], holder) if items else []
    return found + [c for c in (field_call(context, i, holder) for i in items[1:]) if c is not None]


def _default_of(context: Context, calls: list[n.Call], scope: Scope) -> tuple[bool, Default | None]:
    required, default = True, None
    for call in calls:
        value = call.argument(0, "default")
        if value is None and call.keyword("default_factory") is None:
            continue
        if isinstance(value, n.Opaque) and value.text == "...":
            required = True
            continue
        required = False
        place = context.place(call, scope)
        default = (
            Default(*_constant(context, value, scope), place) if value is not None else Default(False, None, place)
        )
    return required, default


def _record_required(context: Context, type_: n.Expr, scope: Scope, total: bool) -> bool:
    name = context.reader.program.name_of(type_.value, scope) if isinstance(type_, n.Index) else None
    if name in WRAPPERS and name is not None:
        return name.endswith(".Required") or (total and not name.endswith("NotRequired"))
    return total


def _wire(context: Context, name: str, calls: list[n.Call], config: Config, scope: Scope) -> str:
    """The name the client sends."""
    for call in reversed(calls):
        for word in ("validation_alias", "alias"):
            alias = call.keyword(word)
            text = _alias_text(context, alias, scope)
            if text is not None:
                return text
    generated = _GENERATORS.get(config.generator or "")
    return generated(name) if generated is not None else name


def _alias_text(context: Context, alias: n.Expr | None, scope: Scope) -> str | None:
    if isinstance(alias, n.Call):
        made = (context.reader.program.name_of(alias.func, scope) or "").rpartition(".")[2]
        if made == "AliasChoices" and alias.positional:
            return _alias_text(context, alias.positional[0], scope)
        if made == "AliasPath":
            parts = [context.reader.program.constant(p, scope) for p in alias.positional]
            return ".".join("[]" if isinstance(p.value, int) else str(p.value) for p in parts if p is not None)
        return None
    return context.reader.program.text(alias, scope)


def _camel(name: str) -> str:
    first, *rest = name.split("_")
    return first + "".join(p.capitalize() for p in rest)


_GENERATORS = {
    "camel": _camel,
    "pascal": lambda name: "".join(p.capitalize() for p in name.split("_")),
    "kebab": lambda name: name.replace("_", "-"),
    "upper": str.upper,
}


def generator_word(context: Context, expr: n.Expr | None, scope: Scope) -> str | None:
    """Tell which of the usual ways of renaming fields an alias generator is."""
    if isinstance(expr, n.Call):
        expr = expr.keyword("validation_alias") or expr.argument(0, "alias")
    name = (context.reader.program.name_of(expr, scope) or n.dotted(expr) or "").rpartition(".")[2]
    if name in _CAMEL:
        return "camel"
    if name in ("to_pascal", "pascalize", "to_pascal_case"):
        return "pascal"
    return "kebab" if name in ("to_kebab", "kebabize") else "upper" if name == "upper" else None


def _config(context: Context, target: Target) -> Config:
    """Read `model_config`, `class Config` and class keywords, of the class and its ancestors, nearest winning."""
    program = context.reader.program
    found: dict[str, tuple[n.Expr, Scope]] = {}
    notes: list[Note] = []
    for ancestor, _ in _lineage(context, target):
        assert isinstance(ancestor.node, n.Class)
        assert ancestor.scope is not None
        scope = program.scope_of(ancestor.node, ancestor.scope)
        found |= {a.name: (a.value, ancestor.scope) for a in ancestor.node.bases if a.name is not None}
        for stmt in ancestor.node.body:
            if isinstance(stmt, n.Class) and stmt.name == "Config":
                inner = program.scope_of(stmt, scope)
                for line in stmt.body:
                    if isinstance(line, n.Assign) and isinstance(line.targets[0], n.Name):
                        found[line.targets[0].id] = (line.value, inner)
                        notes.extend(_renamed(context, line.targets[0].id, line, inner))
            value = stmt.value if isinstance(stmt, n.Assign | n.Variable) else None
            name = n.dotted(stmt.targets[0]) if isinstance(stmt, n.Assign) else getattr(stmt, "name", None)
            if name == "model_config":
                followed = program.value(value, scope)
                for key, item, where in _entries(followed):
                    found[key] = (item, where)
                    notes.extend(_renamed(context, key, item, where))
    return _as_config(context, found, notes)


def _entries(followed: tuple[n.Expr, Scope] | None) -> Iterator[tuple[str, n.Expr, Scope]]:
    if followed is None:
        return
    value, scope = followed
    if isinstance(value, n.Call):
        yield from ((a.name, a.value, scope) for a in value.args if a.name is not None and not a.spread)
    elif isinstance(value, n.Entries):
        for key, item in value.entries:
            if isinstance(key, n.Literal) and isinstance(key.value, str):
                yield key.value, item, scope


def _renamed(context: Context, key: str, node: n.Node, scope: Scope) -> Iterator[Note]:
    if context.version >= 2 and key in RENAMED_CONFIG:
        new = RENAMED_CONFIG[key]
        why = f"`{key}` is the name version 1 had for this setting; version 2 only warns of it and does nothing"
        yield Note("no-effect", context.place(node, scope), why, f"write `{new}` in `model_config`")


def _as_config(context: Context, found: dict[str, tuple[n.Expr, Scope]], notes: list[Note]) -> Config:
    program = context.reader.program

    def literal(key: str) -> object:
        constant = program.constant(*found[key]) if key in found else None
        return constant.value if constant is not None else None

    extra = literal("extra")
    if extra is None and "extra" in found:
        extra = (n.dotted(found["extra"][0]) or "").rpartition(".")[2]
    rules = []
    prefix, v1 = ("str_min_length", "str_max_length"), ("min_anystr_length", "max_anystr_length")
    names = prefix if context.version >= 2 else v1
    for key, kind in zip(names, ("minLength", "maxLength"), strict=True):
        if key in found and literal(key) is not None:
            expr, scope = found[key]
            rules.append(Rule(kind, literal(key), context.place(expr, scope)))  # type: ignore[arg-type]
    generator = generator_word(context, *found["alias_generator"]) if "alias_generator" in found else None
    by_name = literal("populate_by_name") is True or literal("validate_by_name") is True
    kept: Literal["ignore", "forbid", "allow"] = extra if extra in ("forbid", "allow") else "ignore"
    return Config(kept, by_name, generator, tuple(rules), tuple(notes))


def _enum(context: Context, target: Target) -> Shape:
    """An enum takes its members' values."""
    program = context.reader.program
    assert isinstance(target.node, n.Class)
    assert target.scope is not None
    scope = program.scope_of(target.node, target.scope)
    automatic = program.derives(target, {"enum.StrEnum"}) is not None
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
                values.append(stmt.targets[0].id.lower() if automatic else len(values) + 1)
            elif found is not None and found.value not in values:
                values.append(found.value)
    types: set[FieldType] = {_JSON.get(type(v), "any") for v in values}
    place = context.place(target.node, target.scope)
    declared = Place(place.file, place.line, f"class {target.node.name}")
    type_: FieldType = next(iter(types)) if len(types) == 1 else "any"
    return Shape(type_, closed=True, rules=(Rule("enum", values, declared),), model=None, target=None)


_JSON: dict[type, FieldType] = {str: "string", int: "integer", float: "number", bool: "boolean"}


def _root(context: Context, target: Target) -> Shape:
    """A root model is what its root is."""
    program = context.reader.program
    for ancestor in program.ancestry(target):
        if not isinstance(ancestor.node, n.Class) or ancestor.scope is None:
            continue
        scope = program.scope_of(ancestor.node, ancestor.scope)
        for stmt in ancestor.node.body:
            if isinstance(stmt, n.Variable) and stmt.name == "root":
                shape = reading.read(context, stmt.type, scope)
                call = field_call(context, stmt.value, scope)
                if call is not None:
                    shape = limits.apply(shape, call, context.at(scope), context.version)
                return validators.lay(context, shape, target)
        for base in ancestor.node.bases:
            if isinstance(base.value, n.Index) and program.name_of(base.value.value, ancestor.scope) in ROOTS:
                shape = reading.read(context, base.value.index, ancestor.scope)
                return validators.lay(context, shape, target)
    return UNKNOWN


def created(context: Context, call: n.Call, scope: Scope) -> Shape:
    """`create_model("Name", field=(type, default), __base__=Base)`."""
    program = context.reader.program
    fields: list[ShapeField] = []
    base = program.resolve(call.keyword("__base__"), scope)
    if base is not None and isinstance(base.node, n.Class):
        fields.extend(of_class(context, base).fields)
    if any(a.spread for a in call.args):
        return UNKNOWN
    for arg in call.args:
        if arg.name is None or arg.name.startswith("__") or not isinstance(arg.value, n.Items):
            continue
        type_, *rest = arg.value.items
        stmt = n.Variable(arg.value.span, arg.name, type_, rest[0] if rest else None)
        field = _field(context, stmt, scope, Config(), "model", True)
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


def function_rules(context: Context, shape: Shape, item: n.Expr, scope: Scope) -> Shape:
    """Drop the custom rule of an annotated validator function that never refuses anything."""
    if not (isinstance(item, n.Call) and shape.rules and shape.rules[-1].kind == "custom" and item.positional):
        return shape
    target = context.reader.program.resolve(item.positional[0], scope)
    if target is None or not isinstance(target.node, n.Function) or target.scope is None:
        return shape
    breaks, refuses = validators.refusal(context, target.node, target.scope)
    if not refuses:
        return shape.with_(rules=shape.rules[:-1])
    last = msgspec.structs.replace(shape.rules[-1], breaks=breaks, mend="refuse-in-rule")
    return shape.with_(rules=(*shape.rules[:-1], last))
