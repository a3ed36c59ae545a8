"""What the words of every framework take from the vocabularies of its language and from the user's settings."""

from collections.abc import Callable, Iterable

from mappu.flow.words import Errors, Language, Refer, RunWord
from mappu.inventory.model import ConstraintKind
from mappu.sources.settings import HouseRule
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.vocabularies import vocabularies
from mappu.vocabularies.shape import Reader, Vocabulary


def vocabularies_of(language: str) -> list[Vocabulary]:
    """The ways to write rules in a language."""
    return [v for v in vocabularies() if v.language == language]


def running(reader: Reader, used: Iterable[Vocabulary]) -> Callable[[n.Call, Scope, Refer], RunWord | None]:
    """Return what tells whether a call runs a model's rules."""

    def runs(call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        return next((w for v in used if (w := v.run(reader, call, scope, refer)) is not None), None)

    return runs


def casting(reader: Reader, used: Iterable[Vocabulary]) -> Callable[[n.Expr, n.Expr, Scope], RunWord | None]:
    """Return what tells whether a type that a value is only declared to have is a model."""

    def casts(type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return next((w for v in used if (w := v.cast(reader, type_, value, scope)) is not None), None)

    return casts


def errors_of(language: Language, used: Iterable[Vocabulary]) -> Errors:
    """The error classes of a language and of the ways to write rules, with what each inherits from."""
    parents = {k: p for v in used for k, p in v.error_parents.items()}
    aliases = {k: a for v in used for k, a in v.error_aliases.items()}
    return Errors({**language.errors.parents, **parents}, aliases, language.errors.top)


def house_rules(rules: Iterable[HouseRule]) -> dict[str, dict[ConstraintKind, object]]:
    """The functions that the user says check something, with what each does."""
    return {r.function: dict(r.constraints) for r in rules if r.function is not None}
