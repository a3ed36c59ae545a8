"""The settings of a model: `model_config`, `class Config`, class keywords, and how fields are renamed."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Literal

import msgspec

from mappu.inventory.model import Unfollowed
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.pydantic.types import RENAMED_CONFIG
from mappu.vocabularies.shape import Note, Rule

if TYPE_CHECKING:
    from mappu.vocabularies.pydantic.reading import Context

# Parts of the names that such functions go by.
_GENERATOR_WORDS = (("camel", "camel"), ("pascal", "pascal"), ("kebab", "kebab"), ("hyphen", "kebab"), ("dash", "kebab"),
                    ('replace("_", "-")', "kebab"), ("upper", "upper"))  # fmt: skip


class Config(msgspec.Struct, frozen=True):
    """The settings of a model that change what its fields let through, with the renamed ones that do nothing."""

    extra: Literal["ignore", "forbid", "allow"] = "ignore"
    by_name: bool = False
    generator: str | None = None
    text_rules: tuple[Rule, ...] = ()
    notes: tuple[Note, ...] = ()
    unfollowed: tuple[Unfollowed, ...] = ()


def _camel(name: str) -> str:
    first, *rest = name.split("_")
    return first + "".join(p.capitalize() for p in rest)


GENERATORS = {
    "camel": _camel,
    "pascal": lambda name: "".join(p.capitalize() for p in name.split("_")),
    "kebab": lambda name: name.replace("_", "-"),
    "upper": str.upper,
}


def generator_word(context: Context, expr: n.Expr, scope: Scope) -> str | None:
    """Tell by its name, or by what a lambda plainly does, which of the usual ways of renaming fields this is."""
    if isinstance(expr, n.Call):
        expr = expr.keyword("validation_alias") or expr.argument(0, "alias") or expr
    name = context.reader.program.name_of(expr, scope) or dotted(expr) or scope.module.text(expr)
    return next((word for part, word in _GENERATOR_WORDS if part in name.rpartition(".")[2].lower()), None)


def read(context: Context, lineage: list[Target]) -> Config:
    """Read `model_config`, `class Config` and class keywords of a class and its ancestors (furthest first), nearest winning."""
    program = context.reader.program
    found: dict[str, tuple[n.Expr, Scope]] = {}
    notes: list[Note] = []
    for ancestor in lineage:
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
            name = dotted(stmt.targets[0]) if isinstance(stmt, n.Assign) else getattr(stmt, "name", None)
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
        extra = (dotted(found["extra"][0]) or "").rpartition(".")[2]
    rules = []
    prefix, v1 = ("str_min_length", "str_max_length"), ("min_anystr_length", "max_anystr_length")
    names = prefix if context.version >= 2 else v1
    for key, kind in zip(names, ("minLength", "maxLength"), strict=True):
        if key in found and literal(key) is not None:
            expr, scope = found[key]
            rules.append(Rule(kind, literal(key), context.place(expr, scope)))  # type: ignore[arg-type]
    generator: str | None = None
    unfollowed: tuple[Unfollowed, ...] = ()
    if "alias_generator" in found:
        expr, scope = found["alias_generator"]
        generator = generator_word(context, expr, scope)
        if generator is None and not (isinstance(expr, n.Literal) and expr.value is None):
            place = context.place(expr, scope)
            what = (
                f"what `{place.text}` makes of field names could not be followed: they are given as the code has them"
            )
            unfollowed = (Unfollowed(place.file, place.line, what),)
    by_name = literal("populate_by_name") is True or literal("validate_by_name") is True
    kept: Literal["ignore", "forbid", "allow"] = extra if extra in ("forbid", "allow") else "ignore"
    return Config(kept, by_name, generator, tuple(rules), tuple(notes), unfollowed)
