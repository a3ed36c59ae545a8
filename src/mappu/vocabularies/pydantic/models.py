"""Classes as pydantic reads them: fields with inheritance, config, validators; enums, dataclasses and typed dicts."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import msgspec

from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax import python
from mappu.syntax.walk import dotted
from mappu.vocabularies.pydantic import config, limits, made, reading, validators
from mappu.vocabularies.pydantic.config import Config
from mappu.vocabularies.pydantic.types import ANNOTATED, PRIVATE, TYPES, WRAPPERS
from mappu.vocabularies.shape import UNKNOWN, Default, Rule, Shape, ShapeField

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
            names = {t for s in node.body if isinstance(s, n.Assign) for t in map(dotted, s.targets)}
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
        return made.enum(context, target)
    known = context.reader.program.derives(target, TYPES) if kind is None else None
    if known is not None:
        # A class of its own made from a plain type: what else it asks of a value is its own code.
        type_, format_, _ = TYPES[known]
        assert target.scope is not None
        rules = (Rule("format", format_, context.place(node, target.scope)),) if format_ is not None else ()
        return Shape(type_, rules=rules, known=False)
    if kind is None:
        plain = UNKNOWN.with_(target=target, model=node.name)
        return plain if not is_entity(context, target) else plain.with_(entity=True)
    if context.inside.count(target.name) > 1:
        # A model inside itself is laid out one level down, which shows what there is to see.
        return Shape("object", closed=True, model=node.name, target=target)
    inner = context.within(inside=(*context.inside, target.name))
    if kind == "root":
        return _root(inner, target)
    said = config.read(inner, [ancestor for ancestor, _ in _lineage(inner, target)])
    fields = tuple(_fields(inner, target, said, kind))
    shape = Shape(
        "object", closed=True, model=node.name, target=target, fields=fields, extra=said.extra,
        entity=is_entity(context, target), notes=said.notes,
        needs=tuple(x for f in fields for x in f.shape.needs),
        unfollowed=(*said.unfollowed, *(x for f in fields for x in f.shape.unfollowed)),
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


def _fields(context: Context, target: Target, said: Config, kind: str) -> Iterator[ShapeField]:
    found: dict[str, ShapeField] = {}
    total = _total(target)
    for ancestor, here in _lineage(context, target):
        assert isinstance(ancestor.node, n.Class)
        assert ancestor.scope is not None
        scope = context.reader.program.scope_of(ancestor.node, ancestor.scope)
        here = here.within(text_rules=said.text_rules)
        for stmt in ancestor.node.body:
            if isinstance(stmt, n.Variable) and stmt.type is not None and not _private(here, stmt, scope):
                field = declared_field(here, stmt, scope, said, kind, total)
                if field is None:
                    found.pop(stmt.name, None)
                else:
                    found[stmt.name] = field
            elif isinstance(stmt, n.Assign) and len(stmt.targets) == 1:
                name = dotted(stmt.targets[0])
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


def declared_field(
    context: Context, stmt: n.Variable, scope: Scope, said: Config, kind: str, total: bool
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
    return ShapeField(stmt.name, _wire(context, stmt.name, calls, said, scope), shape, required, place, default)


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


def _wire(context: Context, name: str, calls: list[n.Call], said: Config, scope: Scope) -> str:
    """The name the client sends."""
    for call in reversed(calls):
        for word in ("validation_alias", "alias"):
            alias = call.keyword(word)
            text = _alias_text(context, alias, scope)
            if text is not None:
                return text
    generated = config.GENERATORS.get(said.generator or "")
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
