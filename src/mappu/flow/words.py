"""The words a language and a framework hand to the flow engine; it knows nothing of either by itself."""

import re
from collections.abc import Callable, Mapping

import msgspec

from mappu.flow.values import Origin, SinkKind
from mappu.inventory.model import ConstraintKind, FieldType, PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n


class RunWord(msgspec.Struct, frozen=True):
    """A call that runs a model's rules on a value: the model as a type, the value, and the error it throws.

    `skips` says why the rules are not run, where the call only looks as if they were.
    """

    type: n.Expr
    scope: Scope
    argument: n.Expr
    spread: bool
    throws: str
    skips: str | None = None


class Errors(msgspec.Struct, frozen=True):
    """Error classes outside the service: what each inherits from, other names of the same class, and the one below which
    all ordinary ones are."""

    parents: Mapping[str, str]
    aliases: Mapping[str, str]
    top: str


class Language(msgspec.Struct, frozen=True):
    """What calls and operators of a language mean.

    `sizes` count, `keeps` give the same text back (trimmed, lower-cased), `keeps_call` likewise as functions,
    `converts` make another type and throw, `tests` are methods that hold only for a certain pattern, `matchers` match a
    pattern (True where they are anchored at the start by themselves, "full" at both ends), `errors` are the
    built-in ones, `assertion` the one of a failed assertion, `pure` functions look at a value and keep
    it as text or number, `formats` are methods that put text together, `notices` write a log, `callers` call the function
    handed to them at a position with the arguments behind it.
    """

    sizes: frozenset[str]
    keeps: frozenset[str]
    keeps_call: frozenset[str]
    converts: Mapping[str, tuple[FieldType, str]]
    tests: Mapping[str, str]
    matchers: Mapping[str, str]
    types: Mapping[str, str]
    errors: Errors
    assertion: str
    collections: frozenset[str]
    pure: frozenset[str]
    formats: frozenset[str]
    notices: frozenset[str]
    callers: Mapping[str, int]
    sinks: Mapping[str, SinkKind]
    missing_key: str


class Words(msgspec.Struct, frozen=True):
    """What a framework's names mean.

    - `request`: members of the request object, to the place they read (`json` → body); `request_types` its classes.
    - `errors`: error classes the framework answers by itself, to the position of their status argument.
    - `answers`: response classes, to their status when none is given.
    - `mapped`: the service's own mapping of an error class to a status: None where there is none, 0 where it cannot be
      told.
    - `runs`: tells whether a call runs a model's rules. `casts`: the same of a value that is only declared to be of a type.
    - `stores` write at once, `stages` only once one of `commits` is called; `lookups` read storage. All of them count on
      something that keeps records: an instance of one of `storage_packages`, or named like `storage_names`; the
      `plain_stores` say by their own name what they do.
    - `checkers`: parts of names that suggest that a call outside the service checks what it is given.
    - `dumps`: methods that give all of a model's data back.
    - `house`: functions of the service's settings that stand for constraints.
    """

    language: Language
    request: Mapping[str, PlaceIn]
    request_types: frozenset[str]
    broken: Mapping[str, str]
    errors: Mapping[str, int]
    answers: Mapping[str, int]
    status_member: str
    mapped: Callable[[Target], int | None]
    runs: Callable[[n.Call, Scope], RunWord | None]
    casts: Callable[[n.Expr, n.Expr, Scope], RunWord | None]
    known_errors: Errors
    is_entity: Callable[[Target], bool]
    stores: frozenset[str]
    stages: frozenset[str]
    commits: frozenset[str]
    lookups: frozenset[str]
    plain_stores: frozenset[str]
    storage_packages: frozenset[str]
    storage_names: re.Pattern[str]
    checkers: tuple[str, ...]
    dumps: frozenset[str]
    house: Mapping[str, Mapping[ConstraintKind, object]]


class Entry(msgspec.Struct, frozen=True):
    """A function the framework calls on a route: its parameters that are client data, the request object, or the
    outcome of an earlier entry (by its number). `wrappers` are the decorators around it, innermost last: functions whose
    `try` catches what it raises."""

    function: n.Function
    scope: Scope
    data: Mapping[str, Origin]
    types: Mapping[str, Target]
    requests: frozenset[str]
    earlier: Mapping[str, int]
    wrappers: tuple[tuple[n.Function, Scope], ...] = ()
