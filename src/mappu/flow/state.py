"""What is known at one point of a path, and how a run of statements ends."""

from collections.abc import Iterable

from mappu.flow.values import NOTHING, Check, Finding, OpenRun, Origin, Result, Value
from mappu.inventory.model import Place
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n


class Sent:
    """An error answer that a handler sent without leaving: `checks` are what it refuses, `carried` is set once something is
    done after it all the same. `run` is what sends it by itself. Compared by identity."""

    __slots__ = ("carried", "checks", "open", "place", "run", "status", "stops")

    def __init__(self, status: int, place: Place, run: OpenRun | None = None) -> None:
        self.status, self.place, self.run = status, place, run
        self.checks: list[Check] = []
        self.carried = False
        # True where only its status was sent: what is written next is its body.
        self.open = False
        # True where nothing behind the function that sent it is called any more.
        self.stops = run is not None


class State:
    """What is known at one point of a path."""

    __slots__ = ("env", "present", "sent", "staged", "status", "stored")

    def __init__(self) -> None:
        self.env: dict[str, Value] = {}
        # Client data that is known to be there.
        self.present: frozenset[Origin] = frozenset()
        self.stored: list[tuple[Origin, Place]] = []
        self.staged: list[tuple[Origin, Place]] = []
        # The status set on a response object that the framework will send; an answer only once the function returns.
        self.status: tuple[int, Place] | None = None
        # Error answers that may have been sent on the way here.
        self.sent: tuple[Sent, ...] = ()

    def copy(self) -> "State":
        twin = State()
        twin.env, twin.stored, twin.staged = dict(self.env), list(self.stored), list(self.staged)
        twin.status, twin.present, twin.sent = self.status, self.present, self.sent
        return twin

    def take(self, branches: Iterable["State"]) -> None:
        """Become what the branches that went on agree on; client data seen in any of them is kept."""
        arms = list(branches)
        if not arms:
            return
        first, *rest = arms
        self.env, self.stored, self.staged = dict(first.env), list(first.stored), list(first.staged)
        self.status, self.present = first.status, first.present
        self.sent = tuple(dict.fromkeys(s for arm in arms for s in arm.sent))
        for arm in rest:
            self.status = self.status or arm.status
            self.present &= arm.present
            for name, value in arm.env.items():
                self.env[name] = join(self.env.get(name, NOTHING), value)
            self.stored.extend(x for x in arm.stored if x not in self.stored)
            self.staged.extend(x for x in arm.staged if x not in self.staged)

    def learn(self, findings: Iterable[Finding]) -> None:
        """Note what a condition says is there."""
        self.present |= {f.origin for f in findings if f.asks_presence or f.kind == "notEmpty"}


def join(left: Value, right: Value) -> Value:
    """One value for what holds either of two."""
    if left is right:
        return left
    main = left if left.origin is not None or (left.role != "data" and right.origin is None) else right
    parts: tuple[Value, ...] = left.parts or right.parts
    if left.parts and len(left.parts) == len(right.parts):
        parts = tuple(join(a, b) for a, b in zip(left.parts, right.parts, strict=True))
    return Value(
        main.origin, main.via, left.taints | right.taints, main.role, main.status, main.made or left.made or right.made,
        main.attrs or left.attrs or right.attrs, main.facts, left.whole or right.whole, left.message or right.message,
        parts=parts, type=main.type or left.type or right.type,
    )  # fmt: skip


class Exit:
    """One way a path ends: by return (with the value) or by raise, and what the client meets."""

    __slots__ = ("kind", "place", "result", "sent", "value")

    def __init__(
        self, kind: str, result: Result, place: Place, value: Value = NOTHING, sent: tuple[Sent, ...] = ()
    ) -> None:
        self.kind, self.result, self.place, self.value, self.sent = kind, result, place, value, sent


class Outcome:
    """How a run of statements ends. `dropped` is an error answer that was made and did not end anything; `passed` where a
    caught error was handed on to whoever answers errors."""

    __slots__ = ("dropped", "exits", "falls", "passed")

    def __init__(self) -> None:
        self.falls = True
        self.exits: list[Exit] = []
        self.dropped: Place | None = None
        self.passed = False

    def absorb(self, other: "Outcome") -> None:
        self.exits.extend(other.exits)
        self.dropped = self.dropped or other.dropped
        self.passed = self.passed or other.passed


class Handler:
    """The catches around a stretch of code, with what each ends as (None: it raises the same error on)."""

    def __init__(self, catches: list[tuple[n.Catch, Scope, Result | None]]) -> None:
        self.catches = catches


class Frame:
    """One function being walked. `verdicts` are conditions whose branch returned a plain true or false."""

    def __init__(self, scope: Scope, module: n.Module) -> None:
        self.scope, self.module = scope, module
        # True for a function handed to other code, which goes on in the handler's place: its leaving is the handler's.
        self.goes_on = False
        self.verdicts: list[tuple[bool, tuple[Finding, ...]]] = []
        # Constants that it was held against, with what was given back at once for them.
        self.admits: list[tuple[bool, Finding]] = []
        self.yields: list[Value] = []
        self.pending: dict[str, list[Finding]] = {}
        # Variables filled here through a pointer; those that a check looked at before they were.
        self.filled: set[str] = set()
        self.early: dict[str, tuple[Place, frozenset[str]]] = {}


class Condition:
    """A test around a stretch of code: its source, and what is known of client data where it went this way."""

    def __init__(self, text: str, holds: tuple[Finding, ...]) -> None:
        self.text, self.holds = text, holds

    def matters_to(self, finding: Finding) -> bool:
        """False where the test only asks whether the very data that the finding is about is there."""
        return not self.holds or any(
            h.origin != finding.origin and not (h.asks_presence and h.origin.covers(finding.origin)) for h in self.holds
        )


def element(value: Value) -> Value:
    """What a loop over the value hands out."""
    if value.via == "many" and value.origin is not None:
        # One name sent several times: each is the field itself.
        return Value(value.origin)
    if value.via in ("pairs", "numbered"):
        if value.via == "numbered" and value.origin is not None:
            return Value(value.origin.child("[]"), via="numbered", made=value.made, type=value.type)
        return value
    if value.origin is not None:
        step = "{}" if value.via in ("values", "keys") else "[]"
        return Value(value.origin.child(step), via="key" if value.via == "keys" else "", attrs=value.attrs)
    return Value(taints=value.taints, role="lookup" if value.role == "lookup" else "data")
