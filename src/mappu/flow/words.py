"""The words a language and a framework hand to the flow engine; it knows nothing of either by itself."""

import re
from collections.abc import Callable, Mapping
from typing import Literal

import msgspec

from mappu.flow.values import Origin, SinkKind
from mappu.inventory.model import ConstraintKind, FieldType, PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n

Told = Literal["passed", "failed", "faults", "value"]


class RunWord(msgspec.Struct, frozen=True):
    """A call that runs a model's rules on a value: the model as a type, the value, and the error it throws.

    - `skips` says why the rules are not run, where the call only looks as if they were.
    - `outcome`: what the call gives back to be looked at, where it throws nothing: members (or "" for itself) to what they
      tell: true where it passed, true where it failed, a list of faults, the checked value. A name that ends in `()` is a
      method.
    - `keys`: those of the rules that it runs, None for all.
    - `fault`: why it refuses whatever it is given, and the word of the remedy for that.
    """

    type: n.Expr
    scope: Scope
    argument: n.Expr
    spread: bool
    throws: str
    skips: str | None = None
    outcome: Mapping[str, Told] = {}
    keys: frozenset[str] | None = None
    fault: tuple[str, str] | None = None


class Fill(msgspec.Struct, frozen=True):
    """A call that fills a variable with client data, and gives back an error where it cannot.

    - `sources`: the places it reads, each with how the names of a type's fields are read there (the key of a tag); none where it
      reads what it is called on, or handed at the position `data`, as `view` says. `by_method` are the sources on routes of
      certain methods.
    - `target`: the position of the variable.
    - `keys`: those of the rules that it runs as well; `throws` the class of its error; `answers` the status that it answers by
      itself then.
    """

    sources: tuple[tuple[PlaceIn, str], ...] = ()
    target: int = 0
    data: int | None = None
    view: str = "json"
    by_method: Mapping[str, tuple[tuple[PlaceIn, str], ...]] = {}
    keys: frozenset[str] = frozenset()
    throws: str = ""
    answers: int | None = None


# What an expression stands for where it names something handed to the function being walked, and the scope that is seen from.
Refer = Callable[[n.Expr], tuple[n.Expr, Scope]]


class Reply(msgspec.Struct, frozen=True):
    """A method of the response object that a handler is given: the position of its status, a status it always has, whether it
    sends the answer, whether it ends the handler by throwing, whether it makes an answer that has to be returned, and whether it
    sends the status alone, what is written next being the rest of the same answer. `stops`: nothing behind the function
    is called any more, where that is not so by itself."""

    status: int | None = None
    always: int | None = None
    sends: bool = False
    throws: bool = False
    makes: bool = False
    opens: bool = False
    stops: bool = False


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
    # The error of a key that is not there; "" where that is none.
    missing_key: str
    # The error of asking something of no value at all; "" where the language says it otherwise.
    no_value: str = ""
    # Members that count, methods that add to a collection, that look for a value in one, that hold for a certain text.
    size_members: frozenset[str] = frozenset()
    adders: frozenset[str] = frozenset({"append", "add", "update", "setdefault", "insert", "extend"})
    contains: frozenset[str] = frozenset()
    # Methods that give the place of a value in a collection, -1 where it is not there.
    positions: frozenset[str] = frozenset()
    # Functions that make a date of anything; those that put objects together into the first.
    dates: frozenset[str] = frozenset()
    mergers: frozenset[str] = frozenset()
    keys_of: frozenset[str] = frozenset()
    text_tests: Mapping[str, str] = {}
    # Functions that are true for values of a type, and those that are false for them.
    type_tests: Mapping[str, FieldType] = {}
    type_faults: Mapping[str, FieldType] = {}
    pattern_makers: frozenset[str] = frozenset({"re.compile"})
    # Methods that call a function for each element, whose result is the test's for any of them, for all of them.
    each: frozenset[str] = frozenset()
    any_of: frozenset[str] = frozenset()
    all_of: frozenset[str] = frozenset()
    # Methods of something that comes later: called with it, and with what went wrong on the way to it.
    then: frozenset[str] = frozenset()
    catch: frozenset[str] = frozenset()
    # Functions that make a number of anything, and give something that is none where it was none.
    lax_numbers: frozenset[str] = frozenset()
    # False where "null" and "no value" are two things.
    null_is_absent: bool = True
    # True where a record is made from one object that holds its columns.
    takes_objects: bool = False
    # The text that a pattern sees where there is no value; None where that is an error.
    missing_as: str | None = None
    # Functions that write what they are given behind the first argument.
    writers: frozenset[str] = frozenset()
    # What a plain test of a value refuses beside its absence.
    falsy: str = ""
    # Methods that count; methods that are true of nothing much, to what holds where they are false; and functions that are
    # (or are not) true of a value of which that holds.
    size_calls: frozenset[str] = frozenset()
    empty_tests: Mapping[str, ConstraintKind] = {}
    empty_functions: Mapping[str, tuple[ConstraintKind, bool]] = {}
    # Methods that ask whether a map holds a key.
    key_tests: frozenset[str] = frozenset()
    # Methods that compare like an operator.
    equal_tests: frozenset[str] = frozenset()
    # True where a pattern may be written as plain text.
    text_patterns: bool = False
    # True where members are read and written through methods named after them.
    accessors: bool = False
    # Methods of something that may not be there, which then throw what the function handed over makes.
    or_throw: frozenset[str] = frozenset()
    # True where a function gives back its error as the last of its results, nothing is thrown, a variable is filled through a
    # pointer to it, and what was left out is the zero value of its type.
    returns_errors: bool = False
    # Functions and (with a dot in front) methods that fill a variable with data they are given; methods that make those strict;
    # functions that make a value of text: its position, and what an error says that it is not.
    fills: Mapping[str, Fill] = {}
    stricter: frozenset[str] = frozenset()
    parses: Mapping[str, tuple[int, ConstraintKind, object]] = {}
    # What names of packages outside stand for; functions that give all that is to be read, and an error.
    constants: Mapping[str, str | int] = {}
    reads_all: frozenset[str] = frozenset()
    # Functions that ask whether an error is of a type.
    error_tests: frozenset[str] = frozenset()
    # Functions that make an error of anything.
    error_makers: frozenset[str] = frozenset()
    # Functions that are true of a text or list with something in it: the positions of both, and what that says.
    text_functions: Mapping[str, str] = {}
    list_functions: frozenset[str] = frozenset()


class Words(msgspec.Struct, frozen=True):
    """What a framework's names mean.

    - `request`: members of the request object, to the place they read (`json` → body), or "request" for one that is the
      request again; `request_types` its classes.
    - `errors`: error classes the framework answers by itself, to the position of their status argument.
    - `answers`: response classes, to their status when none is given.
    - `mapped`: the status that an error (its class, and the status it carries itself) is answered with: None where nothing
      maps it, 0 where it cannot be told. `nearby` is asked first where there is one: it knows the handlers that only the
      class of the entered function has.
    - `runs`: tells whether a call runs a model's rules. `casts`: the same of a value that is only declared to be of a type.
    - `stores` write at once, `stages` only once one of `commits` is called; `lookups` read storage. All of them count on
      something that keeps records: an instance of one of `storage_packages`, or named like `storage_names`; the
      `plain_stores` say by their own name what they do.
    - `checkers`: parts of names that suggest that a call outside the service checks what it is given.
    - `dumps`: methods that give all of a model's data back.
    - `house`: functions of the service's settings that stand for constraints.
    """

    language: Language
    request: Mapping[str, PlaceIn | Literal["request"]]
    request_types: frozenset[str]
    broken: Mapping[str, str]
    errors: Mapping[str, int]
    answers: Mapping[str, int]
    status_member: str
    mapped: Callable[[Target | None, int | None], int | None]
    runs: Callable[[n.Call, Scope, Refer], RunWord | None]
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
    # Methods whose first argument may be the text of a query.
    queries: frozenset[str]
    checkers: tuple[str, ...]
    dumps: frozenset[str]
    house: Mapping[str, Mapping[ConstraintKind, object]]
    # Methods of the request that read one thing by name, and those of the response object.
    getters: Mapping[str, PlaceIn] = {}
    # Writes whose first argument says which record; keys of their arguments that do; and keys that hold the row.
    keyed: frozenset[str] = frozenset()
    asking_keys: frozenset[str] = frozenset()
    row_keys: frozenset[str] = frozenset()
    # Methods of the request that give all of one place, by the word they are given.
    parts: Mapping[str, Mapping[str, PlaceIn]] = {}
    # Members of the request that are uploaded files: what is asked of one is no field of its own.
    files: frozenset[str] = frozenset()
    # What the body is where none was sent: None for an empty object.
    empty_body: str | None = None
    nearby: Callable[[Target, Scope], int | None] | None = None
    replies: Mapping[str, Reply] = {}
    # True where making an answer sends it, and the handler has to leave by itself.
    sends: bool = False
    # What the source of a value looks like that tells of a refusal by itself, where there is no status.
    refusal: re.Pattern[str] | None = None
    # Methods that set one column of the record being made: the first group is its name; and what tells source that a storage
    # library has written itself.
    setters: re.Pattern[str] | None = None
    generated: bytes = b""
    # What names of methods begin with that read storage.
    lookup_prefixes: tuple[str, ...] = ()
    # The position of the status in the call that makes an answer, where it is not the second.
    answer_status: Mapping[str, int] = {}
    # Members by which an error says which status it wants.
    status_members: frozenset[str] = frozenset({"status_code"})
    # Methods of the request (or of the object that is request and response in one) that fill a variable; functions that do, which
    # are handed the request.
    fills: Mapping[str, Fill] = {}
    # The names of the fields of a type that a way of reading names (the key of a tag).
    fields_in: Callable[[n.Expr, Scope, str], frozenset[str]] | None = None
    # Functions that read from the request they are handed: the place, and the position of the name (None for all of it).
    readers: Mapping[str, tuple[PlaceIn, int | None]] = {}
    # Methods that give something else where the name is not there.
    defaulted: frozenset[str] = frozenset()
    # Methods of the request that give a value together with whether it is there ("ok") or an error where it is not; that read an
    # uploaded file; that make a value of the text and give back an error where it is none, with what that says.
    pairs: Mapping[str, Literal["ok", "error"]] = {}
    uploads: frozenset[str] = frozenset()
    parsed: Mapping[str, tuple[ConstraintKind, object]] = {}
    # Functions that answer through the response object they are handed.
    answerers: Mapping[str, Reply] = {}
    # Methods that leave something with the request ("keep"), take it up again ("take", or "pair" with whether it is there), or do
    # either by what they are given.
    keeping: Mapping[str, Literal["keep", "take", "pair", "either"]] = {}
    # Errors that a package keeps under a name, to the status they are answered with.
    named_errors: Mapping[str, int] = {}
    # True where request and response are one object.
    one_object: bool = False
    # True where an error that the handler gives back is answered by the framework.
    answers_errors: bool = False


class Entry(msgspec.Struct, frozen=True):
    """A function the framework calls on a route: its parameters that are client data, the request object, or the
    outcome of an earlier entry (by its number). `wrappers` are the decorators around it, innermost last: functions whose
    `try` catches what it raises. `replies` are its parameters that are the response object, `nexts` those that go on to what
    comes next (or hand on an error). `loses`: what it throws is answered by nobody. `made_by` is the call that makes the
    function, where it is made by one, with the scope of the call."""

    function: n.Function
    scope: Scope
    data: Mapping[str, Origin]
    types: Mapping[str, Target]
    requests: frozenset[str]
    earlier: Mapping[str, int]
    wrappers: tuple[tuple[n.Function, Scope], ...] = ()
    replies: frozenset[str] = frozenset()
    nexts: frozenset[str] = frozenset()
    loses: bool = False
    made_by: tuple[n.Call, Scope] | None = None
    # True where the functions behind it are called whatever it answers, unless it says otherwise.
    goes_on: bool = False
    # What the object whose method this is was made with, by member.
    members: Mapping[str, tuple[n.Expr, Scope]] = {}
