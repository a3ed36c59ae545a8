"""Shapes: what a type, model, schema or rule list says a value may be, whatever it was written in.

Every vocabulary turns its own way of writing rules into shapes; frameworks say where a shape is bound, and the pipeline
lays it out as fields.
"""

import re
from collections.abc import Callable, Mapping
from typing import Literal, Protocol

import msgspec

from mappu.flow.words import Refer, RunWord
from mappu.inventory.model import ConstraintKind, FieldType, Place, Unfollowed
from mappu.sources.manifests import ServiceRoot
from mappu.sources.settings import HouseRule
from mappu.sources.walk import SourceFile
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n


class Rule(msgspec.Struct, frozen=True):
    """One declared limit.

    - `breaks`: why breaking it (or meeting it at all) ends as a 5xx, where it does; `mend` the word of the remedy for that, or
      for what `skipped` says.
    - `known`: False where the value is only the source of what makes it.
    - `typed`: it is what the type says by itself, which whatever makes the value of the text checks.
    - `skipped`: why nothing runs this rule even where the rules around it run. `below` is the field that nothing goes into,
      where that is why.
    - `key`: only what asks for rules of this key runs it. `absent`: what is left out breaks it.
    """

    kind: ConstraintKind
    value: object
    declared: Place
    message: str | None = None
    breaks: str | None = None
    mend: str = ""
    known: bool = True
    typed: bool = False
    skipped: str | None = None
    below: str | None = None
    key: str = ""
    absent: bool = False


def refuses_zero(kind: ConstraintKind, value: object) -> bool:
    """True for a limit that the zero value of a type (nought, no text, false, nothing) does not meet."""
    if kind in ("required", "notNull", "notEmpty", "notBlank", "format", "minItems", "minLength", "minProperties"):
        return value not in (0, False) if kind.startswith("min") else True
    if kind in ("enum", "const"):
        allowed = value if isinstance(value, list) else [value]
        return all(x not in (0, "", None) for x in allowed)
    if kind == "pattern" and isinstance(value, str):
        try:
            return re.search(value, "") is None
        except re.error:
            return False
    if isinstance(value, bool) or not isinstance(value, int | float):
        return False
    tests = {"minimum": value > 0, "exclusiveMinimum": value >= 0, "maximum": value < 0, "exclusiveMaximum": value <= 0}
    return tests.get(kind, False)


class Note(msgspec.Struct, frozen=True):
    """Something wrong with a declaration by itself: a gap kind, where, why, and how to close it."""

    kind: Literal["no-effect", "missing-package", "contradiction"]
    place: Place
    why: str
    fix: str


class Default(msgspec.Struct, frozen=True):
    """A default: the constant where it is one. `checked` where the rules look at it as well."""

    known: bool
    value: object
    place: Place
    checked: bool = False


def written_default(program: Program, variable: n.Variable, scope: Scope) -> Default | None:
    """What a property is set to where it is declared, which the rules look at as well; None for nothing."""
    if variable.value is None:
        return None
    constant = program.constant(variable.value, scope)
    value = constant.value if constant is not None else None
    return Default(constant is not None, value, scope.module.place(variable.value), checked=True)


class Shape(msgspec.Struct, frozen=True):
    """What a value may be.

    - `closed`: the type by itself leaves no room to limit. `known` is False where the type could not be followed.
    - `fields`, `items`, `values`: what is inside an object, a list, a map.
    - `model`: the name of the model, `target` its class. `extra`: what happens to fields nobody declared.
    - `optional`: left out it is nothing at all, and nothing goes into it.
    - `erased`: only the compiler knows the type; it names the fields and checks nothing.
    - `skipped`: why nothing runs these rules even where the type is bound.
    - `needs`: packages without which the type does not work, with the place that needs them.
    """

    type: FieldType = "any"
    nullable: bool = False
    closed: bool = False
    known: bool = True
    none: bool = False
    rules: tuple[Rule, ...] = ()
    fields: tuple["ShapeField", ...] = ()
    items: "Shape | None" = None
    values: "Shape | None" = None
    model: str | None = None
    target: Target | None = None
    extra: Literal["ignore", "forbid", "allow"] = "ignore"
    entity: bool = False
    skipped: str | None = None
    erased: bool = False
    optional: bool = False
    alternatives: bool = False
    notes: tuple[Note, ...] = ()
    needs: tuple[tuple[str, Place], ...] = ()
    unfollowed: tuple[Unfollowed, ...] = ()

    def with_(self, **changes: object) -> "Shape":
        return msgspec.structs.replace(self, **changes)


class ShapeField(msgspec.Struct, frozen=True):
    """One field of an object: its name in code, the name the client sends (dotted where it is deeper), its shape."""

    name: str
    wire: str
    shape: Shape
    required: bool
    declared: Place
    default: Default | None = None


UNKNOWN = Shape(known=False)


class Reader(msgspec.Struct, frozen=True):
    """What a vocabulary needs to read: names, the service's packages, the user's own rules. `erased` tells the fields of a type
    that only a compiler sees, where the language has such."""

    program: Program
    service: ServiceRoot
    house: tuple[HouseRule, ...] = ()
    # Files beside the source that say something of it: schemas of storage, settings.
    documents: tuple[SourceFile, ...] = ()
    erased: "Callable[[Reader, n.Expr, Scope], Shape] | None" = None
    # What was worked out once for a function of the service, by its identity.
    memo: dict[int, tuple[str | None, bool]] = msgspec.field(default_factory=dict)


class Vocabulary(Protocol):
    """One way of writing rules. A module of this folder offers one as `vocabulary`."""

    name: str
    language: str
    tokens: tuple[bytes, ...]
    # Its error classes to what each inherits from, and other names of them to the one used there.
    error_parents: Mapping[str, str]
    error_aliases: Mapping[str, str]

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        """Return what a type or schema expression allows; its `known` is False where that can't be told. `view` is the way of
        naming its parts, where there are several."""

    def is_model(self, reader: Reader, target: Target) -> bool:
        """True for a class whose rules this vocabulary reads."""

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        """Tell whether a call runs a model's rules (or only looks as if). `refer` tells what an argument stands for."""

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        """Tell whether a type that a value is only declared to have is a model, whose rules then do not run."""
