"""The flow engine: follows client data through a handler's statements, in any language.

It walks the functions of a route in the order they run, keeps what each name holds, and at every condition asks two
things: does the branch leave, and with what answer? A branch that refuses makes the opposite of its condition a
constraint of what comes after.
"""

from collections.abc import Iterable, Iterator

from mappu.flow import calls, conditions
from mappu.flow.values import (
    NOTHING,
    Check,
    Escape,
    Event,
    Finding,
    Origin,
    Report,
    Result,
    Sink,
    Value,
)  # fmt: skip
from mappu.flow.words import Entry, Question
from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n

NOTICES = frozenset({"warning", "warn", "error", "critical", "exception"})


class State:
    """What is known at one point of a path."""

    __slots__ = ("env", "staged", "status", "stored")

    def __init__(self) -> None:
        self.env: dict[str, Value] = {}
        self.stored: list[tuple[Origin, Place]] = []
        self.staged: list[tuple[Origin, Place]] = []
        # The status set on a response object that the framework will send; an answer only once the function returns.
        self.status: tuple[int, Place] | None = None

    def copy(self) -> "State":
        twin = State()
        twin.env, twin.stored, twin.staged = dict(self.env), list(self.stored), list(self.staged)
        twin.status = self.status
        return twin

    def take(self, branches: Iterable["State"]) -> None:
        """Become what the branches that went on agree on; client data seen in any of them is kept."""
        arms = list(branches)
        if not arms:
            return
        first, *rest = arms
        self.env, self.stored, self.staged = dict(first.env), list(first.stored), list(first.staged)
        self.status = first.status
        for arm in rest:
            for name, value in arm.env.items():
                self.env[name] = join(self.env.get(name, NOTHING), value)
            self.stored.extend(x for x in arm.stored if x not in self.stored)
            self.staged.extend(x for x in arm.staged if x not in self.staged)


def join(left: Value, right: Value) -> Value:
    """One value for what holds either of two."""
    if left is right:
        return left
    main = left if left.origin is not None or (left.role != "data" and right.origin is None) else right
    return Value(
        main.origin, main.via, left.taints | right.taints, main.role, main.status, main.made or left.made or right.made,
        main.attrs or left.attrs or right.attrs, main.facts, left.whole or right.whole, main.message,
    )  # fmt: skip


class Exit:
    """One way a path ends: by return (with the value) or by raise, and what the client meets."""

    __slots__ = ("kind", "place", "result", "value")

    def __init__(self, kind: str, result: Result, place: Place, value: Value = NOTHING) -> None:
        self.kind, self.result, self.place, self.value = kind, result, place, value


class Outcome:
    """How a run of statements ends. `dropped` is an error answer that was made and did not end anything."""

    __slots__ = ("dropped", "exits", "falls")

    def __init__(self) -> None:
        self.falls = True
        self.exits: list[Exit] = []
        self.dropped: Place | None = None

    def absorb(self, other: "Outcome") -> None:
        self.exits.extend(other.exits)
        self.dropped = self.dropped or other.dropped


class Handler:
    """The catches around a stretch of code, with what each ends as (None: it raises the same error on)."""

    def __init__(self, catches: list[tuple[n.Catch, Scope, Result | None]]) -> None:
        self.catches = catches


class Frame:
    """One function being walked. `verdicts` are conditions whose branch returned a plain true or false."""

    def __init__(self, scope: Scope, module: n.Module) -> None:
        self.scope, self.module = scope, module
        self.verdicts: list[tuple[bool, tuple[Finding, ...]]] = []
        self.yields: list[Value] = []
        self.pending: dict[str, list[Finding]] = {}


class Engine:
    """Answers one Question. `frame` is the function being walked, `handlers` the catches around it."""

    def __init__(self, question: Question) -> None:
        self.program: Program = question.program
        self.words = question.words
        self.report = Report()
        self.handlers: list[Handler] = []
        self.frames: list[Frame] = []
        self.calling: list[n.Function] = []
        self.calls = 0
        self.entries = question.entries

    @property
    def frame(self) -> Frame:
        return self.frames[-1]

    @property
    def scope(self) -> Scope:
        return self.frame.scope

    def place(self, node: n.Node) -> Place:
        module = self.frame.module
        return Place(module.path, node.line, module.text(node)[:160])

    # --- running ------------------------------------------------------------------------------------------------------

    def run(self) -> Report:
        """Walk all entries in order and return what was found."""
        state = State()
        results: list[Value] = []
        for entry in self.entries:
            env = {name: Value(origin, made=entry.types.get(name)) for name, origin in entry.data.items()}
            env |= {name: Value(role="request") for name in entry.requests}
            env |= {name: results[i] for name, i in entry.earlier.items()}
            env |= {name: Value(made=made) for name, made in entry.types.items() if name not in env}
            for name, value in env.items():
                if name in entry.types and value.made is None and value.role == "data":
                    env[name] = join(value, Value(made=entry.types[name]))
            results.append(self.enter(entry, env, state))
        return self.report

    def enter(self, entry: Entry, env: dict[str, Value], state: State) -> Value:
        inner = State()
        inner.env, inner.stored, inner.staged = env, state.stored, state.staged
        found, outcome = self.function(entry.function, entry.scope, inner)
        if outcome.falls and inner.status is not None:
            outcome.dropped = inner.status[1]
        return found

    def function(self, function: n.Function, scope: Scope, state: State) -> tuple[Value, Outcome]:
        """Walk a function's body; return what it gives back and how it ends."""
        frame = Frame(self.program.scope_of(function, scope), scope.module)
        self.frames.append(frame)
        self.calling.append(function)
        try:
            outcome = self.block(function.body, state)
            returned = [e.value for e in outcome.exits if e.kind == "return"]
            value = NOTHING
            for each in (*returned, *frame.yields):
                value = join(value, each) if value is not NOTHING else each
            facts = conditions.from_verdicts(frame.verdicts, returned)
            if facts is not None:
                value = Value(value.origin, value.via, value.taints, value.role, value.status, value.made,
                              value.attrs, facts, value.whole, value.message)  # fmt: skip
            for name, findings in frame.pending.items():
                self.unread_errors(name, findings, returned)
            return value, outcome
        finally:
            self.frames.pop()
            self.calling.pop()

    def unread_errors(self, name: str, findings: list[Finding], returned: list[Value]) -> None:
        """Errors gathered in a list that nobody ever looked at; a list that is returned may be looked at outside."""
        if len(self.frames) > 1 and returned:
            return
        for finding in findings:
            self.check(finding, Result("swallowed"))
            why = f"the failed check is only added to `{name}`, and nothing looks at that before the handler goes on"
            self.event(Event("ignored-outcome", finding.place, why, finding.origin))

    # --- statements ---------------------------------------------------------------------------------------------------

    def block(self, stmts: Iterable[n.Stmt], state: State) -> Outcome:
        outcome = Outcome()
        for stmt in stmts:
            step = self.statement(stmt, state)
            if step is not None:
                outcome.absorb(step)
                if not step.falls:
                    outcome.falls = False
                    break
        return outcome

    def statement(self, stmt: n.Stmt, state: State) -> Outcome | None:
        match stmt:
            case n.Do(value=value):
                return self.do(stmt, value, state)
            case n.Assign():
                self.assign(stmt, state)
            case n.Variable(name=name, value=value):
                made = self.value(value, state) if value is not None else NOTHING
                declared = calls.annotated(self, stmt, made)
                state.env[name] = declared
            case n.If():
                return self.if_(stmt, state)
            case n.Leave():
                return self.leave(stmt, state)
            case n.Loop():
                return self.loop(stmt, state)
            case n.Try():
                return self.try_(stmt, state)
            case n.With(items=items, body=body):
                for value, target in items:
                    opened = self.value(value, state)
                    if target is not None:
                        self.bind(target, opened, state)
                return self.block(body, state)
            case n.Switch():
                return self.switch(stmt, state)
        return None

    def do(self, stmt: n.Do, expr: n.Expr, state: State) -> Outcome | None:
        value = self.value(expr, state)
        if value.role in ("answer", "error") and (value.status or 0) >= 400 and isinstance(expr, n.Call):
            outcome = Outcome()
            outcome.dropped = self.place(stmt)
            return outcome
        return None

    def assign(self, stmt: n.Assign, state: State) -> None:
        value = self.value(stmt.value, state)
        for target in stmt.targets:
            if stmt.op is not None:
                old = self.value(target, state)
                value = Value(taints=old.touched | value.touched)
            self.bind(target, value, state, stmt.value)

    def bind(self, target: n.Expr, value: Value, state: State, source: n.Expr | None = None) -> None:
        """Let a target hold a value: a name, several names, a member or an element."""
        match target:
            case n.Name(id=name):
                state.env[name] = value
            case n.Items(items=items):
                exprs = source.items if isinstance(source, n.Items) and len(source.items) == len(items) else None
                for i, item in enumerate(items):
                    self.bind(item, self.value(exprs[i], state) if exprs else self.part(value, i), state)
            case n.Member(value=base, name=name):
                self.bind_member(target, base, name, value, source, state)
            case n.Index(value=base, index=index):
                held = self.value(base, state)
                self.value(index, state)
                if held.role == "store" or (held.role == "lookup" and held.origin is None):
                    self.store(value, self.place(target), state, at_once=True)
                elif isinstance(base, n.Name) and base.id in state.env and held.origin is None:
                    state.env[base.id] = Value(role=held.role, taints=held.touched | value.touched, made=held.made,
                                               attrs=held.attrs, whole=held.whole)  # fmt: skip

    def part(self, value: Value, position: int) -> Value:
        """What the name at `position` gets when a value is taken apart."""
        if value.via == "pairs" and value.origin is not None:
            step = value.origin.child("{}")
            return Value(step, via="key" if position == 0 else "")
        if value.via == "numbered" and value.origin is not None:
            return Value(value.origin) if position == 1 else NOTHING
        return Value(taints=value.touched)

    def bind_member(
        self, target: n.Member, base: n.Expr, name: str, value: Value, source: n.Expr | None, state: State
    ) -> None:
        if name == self.words.status_member:
            status = self.program.constant(source, self.scope)
            status_value = status.value if status is not None else self.status_name(source)
            if isinstance(status_value, int) and status_value >= 400:
                state.status = (status_value, self.place(target))
            return
        held = self.value(base, state)
        if held.role in ("lookup", "entity"):
            self.store(value, self.place(target), state, at_once=False)
        if isinstance(base, n.Name) and base.id in state.env and held.origin is None:
            attrs = {**held.attrs, name: value}
            state.env[base.id] = Value(
                role=held.role, made=held.made, attrs=attrs, taints=held.taints, whole=held.whole
            )

    def status_name(self, expr: n.Expr | None) -> int | None:
        """The number in a name such as `HTTP_422_UNPROCESSABLE_ENTITY` of a package outside."""
        name = n.dotted(expr) or ""
        digits = [p for p in name.rpartition(".")[2].split("_") if p.isdigit() and len(p) == 3]
        return int(digits[0]) if digits else _STATUS_WORDS.get(name.rpartition(".")[2])

    def status_of(self, expr: n.Expr | None) -> int | None:
        """A status written as number or name."""
        found = self.program.constant(expr, self.scope)
        if found is not None and isinstance(found.value, int):
            return found.value
        return self.status_name(expr)

    # --- branches -----------------------------------------------------------------------------------------------------

    def if_(self, stmt: n.If, state: State) -> Outcome:
        facts = conditions.facts(self, stmt.test, state)
        then, other = state.copy(), state.copy()
        taken, skipped = self.block(stmt.then, then), self.block(stmt.other, other)
        self.guard(facts.if_false, stmt.then, taken, then, state)
        self.guard(facts.if_true, stmt.other, skipped, other, state)
        outcome = Outcome()
        outcome.absorb(taken)
        outcome.absorb(skipped)
        outcome.falls = taken.falls or skipped.falls
        state.take(s for s, o in ((then, taken), (other, skipped)) if o.falls)
        return outcome

    def guard(
        self, findings: tuple[Finding, ...], body: tuple[n.Stmt, ...], outcome: Outcome, after: State, before: State
    ) -> None:
        """Judge a branch: where it refuses, what its condition rules out becomes a check."""
        if not body or not findings:
            return
        if outcome.falls:
            self.guard_that_falls(findings, body, outcome, after, before)
            return
        ends = [e for e in outcome.exits if e.kind in ("return", "raise")]
        if not ends or any(e.kind == "loop" for e in outcome.exits):
            return
        effects = {e.result.effect for e in ends}
        if len(self.frames) > 1 and all(e.kind == "return" for e in ends):
            truths = {conditions.plain_truth(e.value) for e in ends}
            if len(truths) == 1 and None not in truths:
                self.frame.verdicts.append((truths == {True}, findings))
        worst = next((e.result for e in ends if e.result.effect == "breaks"), ends[0].result)
        if effects <= {"rejects", "breaks", "unknown"} or effects == {"swallowed"}:
            message = next((e.value.message for e in ends if e.value.message), None)
            for finding in findings:
                self.settle(finding, worst, before, message)

    def settle(self, finding: Finding, result: Result, before: State, message: str | None) -> None:
        """Record a refusing check; one that comes after its data was stored is too late."""
        late = next((p for o, p in before.stored if o.covers(finding.origin) or finding.origin.covers(o)), None)
        if result.effect == "rejects" and late is not None and finding.kind not in ("exists", "unique"):
            self.check(finding, Result("too-late", result.status, late), message)
            why = f"the check refuses only after the data was stored on line {late.line}"
            self.event(Event("late-check", finding.place, why, finding.origin, late))
            return
        self.check(finding, result, message)
        if result.effect == "breaks":
            ends = f"an error that nothing maps to a 4xx (line {result.place.line})" if result.place else "a 5xx"
            self.event(Event("server-error", finding.place, f"what the check refuses ends as {ends}", finding.origin))
        elif result.effect == "swallowed":
            why = "the failed check raises an error that is caught and passed over"
            self.event(Event("ignored-outcome", finding.place, why, finding.origin, result.place))

    def guard_that_falls(
        self, findings: tuple[Finding, ...], body: tuple[n.Stmt, ...], outcome: Outcome, after: State, before: State
    ) -> None:
        dropped = outcome.dropped
        if dropped is None and after.status is not None and after.status != before.status:
            dropped = after.status[1]
        if dropped is not None:
            for finding in findings:
                self.check(finding, Result("carries-on", None, dropped))
                why = "an error answer is made here, and the handler carries on as if nothing had happened"
                self.event(Event("no-stop", dropped, why, finding.origin))
            return
        gathered = conditions.gathering(self, body, before)
        if gathered is not None:
            self.frame.pending.setdefault(gathered, []).extend(findings)
        elif outcome.falls and _only_notices(body):
            for finding in findings:
                if not finding.presence:
                    self.check(finding, Result("swallowed"))
                    why = "the failed check is only logged, and the handler goes on with the data"
                    self.event(Event("ignored-outcome", finding.place, why, finding.origin))

    def loop(self, stmt: n.Loop, state: State) -> Outcome:
        inner = state.copy()
        if stmt.over is not None and stmt.target is not None:
            self.bind(stmt.target, element(self.value(stmt.over, state)), inner)
        if stmt.test is not None:
            self.value(stmt.test, inner)
        outcome = self.block(stmt.body, inner)
        outcome.exits = [e for e in outcome.exits if e.kind != "loop"]
        outcome.falls = True
        state.take([inner, state.copy()])
        rest = self.block(stmt.other, state)
        outcome.absorb(rest)
        return outcome

    def switch(self, stmt: n.Switch, state: State) -> Outcome:
        subject = self.value(stmt.subject, state)
        outcome, arms = Outcome(), []
        allowed: list[object] = []
        open_ended = True
        for case in stmt.cases:
            arm = state.copy()
            step = self.block(case.body, arm)
            outcome.absorb(step)
            constants = [self.program.constant(p, self.scope) for p in case.patterns]
            if case.patterns and all(c is not None for c in constants):
                allowed.extend(c.value for c in constants if c is not None)
            elif not case.patterns:
                open_ended = False
                if subject.origin is not None and allowed:
                    finding = Finding(subject.origin, "enum", list(allowed), self.place(stmt.subject))
                    self.guard((finding,), case.body, step, arm, state)
            if step.falls:
                arms.append(arm)
        outcome.falls = open_ended or bool(arms)
        state.take(arms + ([state.copy()] if open_ended else []))
        return outcome

    # --- leaving ------------------------------------------------------------------------------------------------------

    def leave(self, stmt: n.Leave, state: State) -> Outcome:
        outcome = Outcome()
        outcome.falls = False
        place = self.place(stmt)
        if stmt.kind in ("break", "continue"):
            outcome.exits.append(Exit("loop", Result("unknown"), place))
        elif stmt.kind == "raise":
            value = self.value(stmt.value, state) if stmt.value is not None else NOTHING
            kind = "raise" if stmt.value is not None else "raise again"
            outcome.exits.append(Exit(kind, self.raised(stmt.value, value, place), place, value))
        else:
            value = self.value(stmt.value, state) if stmt.value is not None else NOTHING
            if value.facts is None and isinstance(stmt.value, n.Literal):
                value = Value(facts=conditions.literal_truth(stmt.value))
            status = value.status if value.role == "answer" else None
            if status is None and state.status is not None and len(self.frames) == 1:
                status = state.status[0]
            effect = Result("rejects" if status is not None and 400 <= status < 500 else "carries-on", status, place)
            if status is not None and status >= 500:
                effect = Result("breaks", status, place)
            outcome.exits.append(Exit("return", effect, place, value))
        return outcome

    def raised(self, expr: n.Expr | None, value: Value, place: Place) -> Result:
        """What raising this ends as: through the catches around it, the framework's own errors, the service's maps."""
        if expr is None:
            return Result("unknown", None, place)
        callee = expr.func if isinstance(expr, n.Call) else expr
        target = value.made if value.role == "error" and value.made is not None else None
        target = target or self.program.resolve(callee, self.scope)
        if target is not None and not isinstance(target.node, n.Class):
            made = self.program.class_of(target) if target.node is not None else None
            target = made or target
        return self.thrown(target, value.status, place)

    def thrown(self, target: Target | None, status: int | None, place: Place) -> Result:
        """The same for an error known by its class."""
        for handler in reversed(self.handlers):
            for catch, scope, result in handler.catches:
                if self.catches(catch, scope, target):
                    if result is None:
                        break
                    return result
        if target is None:
            return Result("unknown", None, place)
        if status is None:
            status = self.words.mapped(target)
        if status == 0:
            return Result("unknown", None, place)
        if status is None and self.program.derives(target, self.words.errors) is not None:
            return Result("unknown", None, place)
        if status is None:
            return Result("breaks", 500, place)
        return Result("rejects" if 400 <= status < 500 else "breaks", status, place)

    def catches(self, catch: n.Catch, scope: Scope, target: Target | None) -> bool:
        if not catch.types:
            return True
        names = set(self.error_names(target)) if target is not None else {"Exception"}
        return any((self.program.name_of(t, scope) or n.dotted(t) or "") in names for t in catch.types)

    def error_names(self, target: Target) -> Iterator[str]:
        """The error's class and everything it inherits from, the language's own errors included."""
        for ancestor in self.program.ancestry(target):
            name: str | None = ancestor.name
            while name is not None:
                yield name
                yield from (
                    f"{p}.ValidationError" for p in _SAME_ERROR if name.startswith(p) and "ValidationError" in name
                )
                name = self.words.language.parents.get(name, None if name == "BaseException" else "Exception" if
                                                       name != "Exception" else "BaseException")  # fmt: skip

    def try_(self, stmt: n.Try, state: State) -> Outcome:
        outcome, arms = Outcome(), []
        catches: list[tuple[n.Catch, Scope, Result | None]] = []
        for catch in stmt.catches:
            arm = state.copy()
            if catch.name is not None:
                made = self.program.resolve(catch.types[0], self.scope) if catch.types else None
                arm.env[catch.name] = Value(role="error", made=made)
            step = self.block(catch.body, arm)
            catches.append((catch, self.scope, _caught(step, self.place(catch))))
            outcome.exits.extend(e for e in step.exits if e.kind == "return")
            if step.falls:
                arms.append(arm)
        self.handlers.append(Handler(catches))
        body = self.block(stmt.body, state)
        self.handlers.pop()
        if body.falls:
            rest = self.block(stmt.other, state)
            body.absorb(rest)
            body.falls = rest.falls
        outcome.absorb(body)
        outcome.falls = body.falls or bool(arms)
        state.take(([state.copy()] if body.falls else []) + arms)
        final = self.block(stmt.final, state)
        outcome.absorb(final)
        outcome.falls = outcome.falls and final.falls
        return outcome

    # --- records ------------------------------------------------------------------------------------------------------

    def check(self, finding: Finding, result: Result, message: str | None = None) -> None:
        found = Check(finding.origin, finding.kind, finding.value, finding.place, result, message, finding.sized,
                      finding.presence)  # fmt: skip
        if found not in self.report.checks:
            self.report.checks.append(found)

    def event(self, event: Event) -> None:
        if event not in self.report.events:
            self.report.events.append(event)

    def escape(self, value: Value, place: Place, what: str) -> None:
        for origin in value.touched:
            if all(e.origin != origin for e in self.report.escapes):
                self.report.escapes.append(Escape(origin, place, what))

    def sink(self, value: Value, what: str, place: Place) -> None:
        for origin in sorted(value.touched, key=lambda o: (o.place, o.path)):
            found = Sink(origin, what, place, whole=False)  # type: ignore[arg-type]
            if found not in self.report.sinks:
                self.report.sinks.append(found)

    def store(self, value: Value, place: Place, state: State, at_once: bool) -> None:
        """Client data goes to storage, at once or when a commit follows."""
        parts = [value, *value.attrs.values()]
        for part in parts:
            for origin in sorted(part.touched, key=lambda o: (o.place, o.path)):
                whole = part.whole is not None or (part.origin == origin and part.via in ("", "dump"))
                self.report.sinks.append(Sink(origin, "storage", place, whole))
                (state.stored if at_once else state.staged).append((origin, place))
        if value.whole is not None:
            self.report.sinks.append(Sink(value.whole, "storage", place, True))
            (state.stored if at_once else state.staged).append((value.whole, place))

    def value(self, expr: n.Expr | None, state: State) -> Value:
        """What an expression holds."""
        return calls.value(self, expr, state)


def element(value: Value) -> Value:
    """What a loop over the value hands out."""
    if value.via in ("pairs", "numbered"):
        if value.via == "numbered" and value.origin is not None:
            return Value(value.origin.child("[]"), via="numbered")
        return value
    if value.origin is not None:
        step = "{}" if value.via in ("values", "keys") else "[]"
        return Value(value.origin.child(step), via="key" if value.via == "keys" else "", attrs=value.attrs)
    return Value(taints=value.taints, role="lookup" if value.role == "lookup" else "data")


def _caught(step: Outcome, place: Place) -> Result | None:
    """What an error ends as in a catch whose body ends like this; None where it is raised on unchanged."""
    if step.falls:
        # An error answer that was made there and not returned does not make the catch leave.
        return Result("swallowed", None, step.dropped or place)
    if any(e.kind == "raise again" for e in step.exits):
        return None
    ends = [e for e in step.exits if e.kind in ("return", "raise")]
    results = [e.result for e in ends]
    if not results or any(r.effect == "carries-on" for r in results):
        return Result("swallowed", None, place)
    return next((r for r in results if r.effect == "breaks"), results[0])


def _only_notices(body: tuple[n.Stmt, ...]) -> bool:
    """True for a branch that does nothing but log that something is wrong."""
    return bool(body) and all(
        isinstance(s, n.Do)
        and isinstance(s.value, n.Call)
        and isinstance(s.value.func, n.Member)
        and s.value.func.name in NOTICES
        for s in body
    )


_SAME_ERROR = ("pydantic", "pydantic_core")
_STATUS_WORDS = {
    "BAD_REQUEST": 400, "UNAUTHORIZED": 401, "FORBIDDEN": 403, "NOT_FOUND": 404, "CONFLICT": 409, "GONE": 410,
    "UNPROCESSABLE_ENTITY": 422, "UNPROCESSABLE_CONTENT": 422, "TOO_MANY_REQUESTS": 429, "INTERNAL_SERVER_ERROR": 500,
    "PRECONDITION_FAILED": 412, "REQUEST_ENTITY_TOO_LARGE": 413, "UNSUPPORTED_MEDIA_TYPE": 415, "OK": 200,
}  # fmt: skip
