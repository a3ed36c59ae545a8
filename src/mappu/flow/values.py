"""What the flow engine knows of a value, and what it reports of a route."""

from collections.abc import Iterable, Mapping
from typing import Literal, TypeAlias

import msgspec

from mappu.inventory.model import ConstraintKind, FieldType, Place, PlaceIn, Severity
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n

Role = Literal["data", "request", "reply", "next", "answer", "error", "lookup", "entity", "local", "store"]
SinkKind = Literal["storage", "query text", "command", "file path", "template"]
Effect = Literal["rejects", "breaks", "swallowed", "carries-on", "too-late", "unknown"]


# Places whose data is flat: a name there leads to a value, never further down.
FLAT = frozenset({"query", "header", "cookie", "path"})


class Origin(msgspec.Struct, frozen=True):
    """Client data: the place it came in, and the steps inside it (`[]` an element, `{}` a map's value)."""

    place: PlaceIn
    path: tuple[str, ...] = ()

    def child(self, step: str) -> "Origin":
        return Origin(self.place, (*self.path, step))

    def covers(self, other: "Origin") -> bool:
        """True where `other` is this very data or a part of it."""
        return self.place == other.place and other.path[: len(self.path)] == self.path


# Stands for all of a request at once, where one call looks at everything that was checked of it before.
ALL = Origin("body", ("",))


class OpenRun:
    """Something that is checked by a call which only tells the outcome: a model's rules, or (`limit`) that text is of a type.
    `looked` once a condition asks for it, `settled` once a branch acts on it, `taken` once somebody takes the checked value from
    it. `runs` are the records of it, their result left open: one for each place that the data came in. `fault`: why it refuses
    whatever it is given, and the word of the remedy. Compared by identity."""

    __slots__ = ("fault", "limit", "looked", "origin", "place", "runs", "scope", "settled", "taken", "type")

    def __init__(
        self, origin: "Origin", type_: n.Expr, scope: Scope, place: Place, runs: "tuple[ModelRun, ...]" = (),
        limit: "Finding | None" = None,
    ) -> None:  # fmt: skip
        self.origin, self.type, self.scope, self.place = origin, type_, scope, place
        self.runs, self.limit = runs, limit
        self.fault: tuple[str, str] | None = None
        self.looked = self.settled = self.taken = False

    def ended(self, result: "Result") -> "tuple[ModelRun, ...]":
        """The records of it, with what a failed check ends as."""
        if self.runs:
            return tuple(msgspec.structs.replace(r, result=result, opened=self) for r in self.runs)
        return (ModelRun(self.origin, self.type, self.scope, self.place, result, opened=self),)


class Finding(msgspec.Struct, frozen=True):
    """A limit that a condition states of client data, not yet judged: it holds when the condition went its way.

    `sized` limits count characters, elements or keys: which of them, the field's type tells later. `presence` ones only say
    that the data is there. `asserted` ones are stated as what the code takes for granted, `falsy` ones by a plain test of the
    value; `lenient` ones hold only for a value that is there, `demands` ones never for none. `run`:
    it is the outcome of a model's rules. `sent`: the answer that a helper has sent already.
    """

    origin: Origin
    kind: ConstraintKind
    value: object
    place: Place
    sized: bool = False
    presence: bool = False
    asserted: bool = False
    falsy: bool = False
    lenient: bool = False
    demands: bool = False
    run: OpenRun | None = None
    sent: object | None = None

    @property
    def asks_presence(self) -> bool:
        """True where it only says that the data is there, or of which type it is."""
        return self.presence or self.kind in ("notNull", "type")


class Facts(msgspec.Struct, frozen=True):
    """What follows from a condition: the findings that hold when it is true, and those that hold when it is false."""

    if_true: tuple[Finding, ...] = ()
    if_false: tuple[Finding, ...] = ()

    def swapped(self) -> "Facts":
        return Facts(self.if_false, self.if_true)


class Value(msgspec.Struct, frozen=True, eq=False):
    """What an expression holds, as far as client data goes.

    - `origin`: it is client data itself; `via` tells what was done to it on the way (`size`, `key`, `number`, `text` it
      became part of, `outside` code that gave it back as something else).
    - `taints`: all the client data that went into it.
    - `status`, `message`: of an answer or an error made here.
    - `made`: the class it is an instance of; `attrs`: what its attributes or keys were built from.
    - `whole`: client data spread into it with no field chosen.
    - `facts`: what follows when it turns out true or false. `truth`: which of the two it plainly is.
    - `literal`: it is this constant. `checked`: what this run of a model's rules makes of what it was given.
    - `refers`: it is a function or class itself, named by this expression seen from this scope; `captured` are the names that
      a function written out sees around it.
    - `parts`: the several values that a function gives back at once. `type`: what it is declared to be, where data has a type.
    """

    origin: Origin | None = None
    via: str = ""
    taints: frozenset[Origin] = frozenset()
    role: Role = "data"
    status: int | None = None
    made: Target | None = None
    attrs: Mapping[str, "Value"] = {}
    facts: Facts | None = None
    whole: Origin | None = None
    message: str | None = None
    truth: bool | None = None
    refers: tuple[n.Expr, Scope] | None = None
    captured: Mapping[str, "Value"] = {}
    literal: n.Literal | None = None
    checked: OpenRun | None = None
    parts: "tuple[Value, ...]" = ()
    type: tuple[n.Expr, Scope] | None = None

    def but(self, **changes: object) -> "Value":
        """The same value with some of it changed."""
        return msgspec.structs.replace(self, **changes)

    @property
    def touched(self) -> frozenset[Origin]:
        """The client data in it; what a record was found by is not in the record."""
        taints = self.taints if self.role != "lookup" else frozenset()
        return taints | {self.origin} if self.origin is not None else taints

    def made_from(self) -> "Value":
        """Something taken out of, or made from, this value."""
        return Value(taints=self.touched, via="outside" if self.via == "outside" else "")


NOTHING = Value()


class Result(msgspec.Struct, frozen=True):
    """What becomes of a refusal: how it ends, and the place that decides it."""

    effect: Effect
    status: int | None = None
    place: Place | None = None


class Check(msgspec.Struct, frozen=True):
    """A limit found in hand-written code, with what a request that breaks it meets."""

    origin: Origin
    kind: ConstraintKind
    value: object
    place: Place
    result: Result
    message: str | None = None
    sized: bool = False
    presence: bool = False
    asserted: bool = False
    falsy: bool = False
    lenient: bool = False
    demands: bool = False


class ModelRun(msgspec.Struct, frozen=True):
    """A model's rules run (or left out) by hand on client data. `result` is what breaking one of them ends as;
    `skipped` says why nothing is run, where nothing is; `opened` whether anybody takes what the rules make of the data. `decodes`
    where it makes the value of what came, named as `view` says, and (`strict`) refuses names that it does not know. `keys` are
    those of the rules that it runs, None for all; `member` is the one member of the type whose rules are meant, `listed` where
    the call itself lists them."""

    origin: Origin
    type: n.Expr
    scope: Scope
    place: Place
    result: Result
    skipped: str | None = None
    opened: OpenRun | None = None
    view: str = ""
    keys: frozenset[str] | None = None
    decodes: bool = False
    strict: bool = False
    member: str = ""
    listed: bool = False

    @property
    def thrown_away(self) -> bool:
        """True where nobody takes what the rules make of the data: whoever goes on uses the data as it came."""
        return self.opened is not None and not self.opened.taken


class Read(msgspec.Struct, frozen=True):
    """Client data read by hand. `strict` reads end as an error where the data is missing."""

    origin: Origin
    place: Place
    strict: bool = False
    type: FieldType | None = None
    result: Result | None = None
    # What goes wrong, where it is not simply a name left out or broken JSON.
    what: str | None = None


class Typed(msgspec.Struct, frozen=True, eq=False):
    """Client data that the code declares to be of a type."""

    origin: Origin
    type: n.Expr
    scope: Scope
    place: Place


class Sink(msgspec.Struct, frozen=True):
    """Client data that arrives somewhere that matters. `whole` where all of it goes in and no field is chosen."""

    origin: Origin
    what: SinkKind
    place: Place
    whole: bool = False


class Into(msgspec.Struct, frozen=True, eq=False):
    """The call that writes, seen from a scope, and what it is called on where that is an instance made here."""

    call: n.Call
    scope: Scope
    made: Target | None = None


class Write(msgspec.Struct, frozen=True, eq=False):
    """Client data as it stands that goes into one column of a record, or (None) all of it under its own names. `there` where
    it is known to be something by then."""

    origin: Origin
    column: str | None
    into: Into
    place: Place
    there: bool


class Event(msgspec.Struct, frozen=True):
    """Something the flow engine saw that is a fault by itself. `presence` and `asserted` are its finding's; `severity` where
    it is
    not the usual one."""

    kind: Literal["no-stop", "late-check", "ignored-outcome", "server-error"]
    place: Place
    why: str
    origin: Origin | None = None
    presence: bool = False
    asserted: bool = False
    severity: Severity | None = None
    mend: str = ""


class Escape(msgspec.Struct, frozen=True):
    """Client data that went where it could not be followed."""

    origin: Origin
    place: Place
    what: str


class Report(msgspec.Struct):
    """All that the flow engine found on one route, in the order it was met."""

    checks: list[Check] = []
    runs: list[ModelRun] = []
    reads: list[Read] = []
    sinks: list[Sink] = []
    events: list[Event] = []
    escapes: list[Escape] = []
    writes: list[Write] = []
    typed: list[Typed] = []
    # Where client data is held against a constant, and goes nowhere from there.
    compared: list[Place] = []

    def add(self, other: "Report") -> None:
        """Take over what another report found, each once."""
        for name in self.__struct_fields__:
            own: list[object] = getattr(self, name)
            own.extend(x for x in getattr(other, name) if x not in own)


def all_touched(values: Iterable[Value]) -> frozenset[Origin]:
    """All the client data that any of the values holds or was made from."""
    return frozenset().union(*(v.touched for v in values))


def ordered(origins: Iterable[Origin]) -> list[Origin]:
    """Client data in an order that every run has."""
    return sorted(origins, key=lambda o: (o.place, o.path))


# The arguments of a call, each with what it holds.
Given: TypeAlias = list[tuple[n.Arg, Value]]
