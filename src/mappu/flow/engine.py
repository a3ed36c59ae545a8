"""The flow engine: follows client data through a handler's statements, in any language.

It walks the functions of a route in the order they run, keeps what each name holds, and at every condition asks two
things: does the branch leave, and with what answer? A branch that refuses makes the opposite of its condition a
constraint of what comes after.
"""

from collections.abc import Iterable, Iterator, Mapping

import msgspec

from mappu.flow import branches, callees, calls, conditions, endings, expressions, replies
from mappu.flow.state import Condition, Exit, Frame, Handler, Outcome, Sent, State, join
from mappu.flow.values import (
    NOTHING,
    Check,
    Escape,
    Event,
    Finding,
    Into,
    OpenRun,
    Origin,
    Report,
    Result,
    Sink,
    SinkKind,
    Value,
    Write,
    ordered,
)
from mappu.flow.words import Entry, Words
from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n


class Engine:
    """Follows client data through the functions of routes, one route after another.

    `report` is what was found in the function entered last, `frame` the function being walked, `handlers` the catches
    around it, `under` the conditions around it.
    """

    def __init__(self, program: Program, words: Words) -> None:
        self.program, self.words = program, words
        self.report = Report()
        self.handlers: list[Handler] = []
        self.under: list[Condition] = []
        self.frames: list[Frame] = []
        self.calling: list[n.Function] = []
        self.calls = 0
        # The expression of the statement being walked, where nobody takes what it gives back.
        self.dropped: n.Expr | None = None
        self.answers: dict[int, Value | None] = {}
        # True while what is thrown past the function being walked is answered by nobody.
        self.loses = False
        # A call that never comes back, as what it ends with; the statement it stands in ends there.
        self.gone: Exit | None = None
        # True where answers are sent by the call that makes them.
        self.sends = False
        # What earlier functions of the route left on the request.
        self.kept: dict[str, Value] = {}
        # Bodies that are known to be there: something on the route has checked them.
        self.seen: frozenset[Origin] = frozenset()
        self.sents: list[Sent] = []
        self.open_runs: list[OpenRun] = []
        # Client data that is held against a constant somewhere.
        self.bounded: set[Origin] = set()
        self._entered: dict[tuple[object, ...], tuple[Value, Report, dict[str, Value], frozenset[Origin]]] = {}

    @property
    def frame(self) -> Frame:
        return self.frames[-1]

    @property
    def scope(self) -> Scope:
        return self.frame.scope

    def place(self, node: n.Node) -> Place:
        return self.frame.module.place(node)

    # --- running ------------------------------------------------------------------------------------------------------

    def run(self, entries: Iterable[Entry], known: Mapping[str, n.Literal] | None = None) -> Report:
        """Walk the functions of a route in order and return what was found. `known` are members of the request that the route
        itself says (its method)."""
        whole = Report()
        results: list[Value] = []
        self.seen = frozenset()
        self.kept = {k: Value(role="local", literal=v) for k, v in (known or {}).items()}
        for entry in entries:
            value, found = self.enter(entry, results)
            results.append(value)
            whole.add(found)
        return whole

    def enter(self, entry: Entry, results: list[Value]) -> tuple[Value, Report]:
        """Walk one function that the framework calls; the same one with the same arguments is walked once."""
        earlier = {name: results[i] for name, i in entry.earlier.items()}
        key = (id(entry.function), id(entry.scope), id(entry.made_by), *sorted(entry.data.items(), key=str),
               *sorted(entry.requests), *sorted(entry.replies), self.seen,
               *((name, id(value)) for name, value in sorted((self.kept | earlier).items(), key=lambda e: e[0])))  # fmt: skip
        if key not in self._entered:
            self.report, self.calls = Report(), 0
            self.sents, self.open_runs, self.loses, self.gone = [], [], entry.loses, None
            self.bounded = set()
            self.sends = self.words.sends and bool(entry.replies)
            state = State()
            state.env = self.around(entry)
            if entry.members and self.program.receiver is not None:
                members = {name: Value(refers=given) for name, given in entry.members.items()}
                state.env[self.program.receiver] = Value(attrs=members)
            state.env |= {name: Value(origin, made=entry.types.get(name)) for name, origin in entry.data.items()}
            state.env |= {name: Value(role="request") for name in entry.requests} | earlier
            state.env |= {name: Value(role="reply") for name in entry.replies}
            state.env |= {name: Value(role="next") for name in entry.nexts}
            for name, made in entry.types.items():
                held = state.env.get(name, NOTHING)
                if held.made is None and held.role == "data":
                    state.env[name] = join(held, Value(made=made))
            self.handlers = [h for wrapper in entry.wrappers for h in endings.wrapping(self, *wrapper)]
            value, _ = self.function(entry.function, entry.scope, state)
            self.handlers = []
            for sent in self.sents if entry.goes_on else ():
                sent.carried = sent.carried or not sent.stops
            replies.judge(self)
            self._entered[key] = value, self.report, dict(self.kept), self.seen
        value, found, self.kept, self.seen = self._entered[key]
        return value, found

    def around(self, entry: Entry) -> dict[str, Value]:
        """What a function that is made by a call sees around it: what was handed to that call."""
        if entry.made_by is None:
            return {}
        call, scope = entry.made_by
        self.frames.append(Frame(scope, scope.module))
        try:
            func = call.func.value if isinstance(call.func, n.Index) else call.func
            target = self.program.resolve(func, scope)
            if target is None or not isinstance(target.node, n.Function) or target.scope is None:
                return {}
            given = [(a, self.value(a.value, State())) for a in call.args]
            return dict(callees.inline(self, call, target, NOTHING, given, State(), always=True).captured)
        finally:
            self.frames.pop()

    def function(
        self, function: n.Function, scope: Scope, state: State, goes_on: bool = False
    ) -> tuple[Value, Outcome]:
        """Walk a function's body; return what it gives back and how it ends. `goes_on` as in `Frame`."""
        frame = Frame(self.program.scope_of(function, scope), scope.module)
        frame.goes_on = goes_on and (len(self.frames) == 1 or self.frame.goes_on)
        self.frames.append(frame)
        self.calling.append(function)
        try:
            outcome = self.block(function.body, state)
            returned = [e.value for e in outcome.exits if e.kind == "return"]
            value = NOTHING
            for each in (*returned, *frame.yields):
                value = join(value, each) if value is not NOTHING else each
            facts = conditions.from_verdicts(frame.verdicts, returned, frame.admits)
            if facts is not None:
                value = value.but(facts=facts)
            for name, findings in frame.pending.items():
                if name in frame.scope.names or len(self.frames) == 1:
                    self.unread_errors(name, findings, returned)
                else:
                    # A list of the function around: that one may look at it.
                    self.frames[-2].pending.setdefault(name, []).extend(findings)
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
            if self.gone is not None:
                # A call in it never comes back.
                step = step or Outcome()
                step.exits.append(self.gone)
                step.falls, self.gone = False, None
            if step is not None:
                outcome.absorb(step)
                if not step.falls:
                    outcome.falls = False
                    break
        return outcome

    def statement(self, stmt: n.Stmt, state: State) -> Outcome | None:
        base, _ = branches.added_to(self, stmt)
        waiting = self.frame.pending.pop(base.id, None) if base is not None else None
        step = self.walked(stmt, state)
        if waiting and base is not None:
            # Whoever adds to a list of errors does not look at those in it.
            self.frame.pending.setdefault(base.id, [])[:0] = waiting
        return step

    def walked(self, stmt: n.Stmt, state: State) -> Outcome | None:
        match stmt:
            case n.Do(value=value):
                return self.do(stmt, value, state)
            case n.Assign():
                self.assign(stmt, state)
            case n.Variable(name=name, value=value):
                made = self.value(value, state) if value is not None else NOTHING
                declared = expressions.annotated(self, stmt, made)
                state.env[name] = declared
            case n.If():
                return branches.if_(self, stmt, state)
            case n.Leave(kind="return", value=n.Choice(test=test, then=then, other=other)):
                # One of two answers, as if it were written out.
                arms = [(n.Leave(x.span, "return", x),) for x in (then, other)]
                return branches.if_(self, n.If(stmt.span, test, arms[0], arms[1]), state)
            case n.Leave():
                return endings.leave(self, stmt, state)
            case n.Loop():
                return branches.loop(self, stmt, state)
            case n.Try():
                return endings.try_(self, stmt, state)
            case n.With():
                return self.with_(stmt, state)
            case n.Switch():
                return branches.switch(self, stmt, state)
        return None

    def with_(self, stmt: n.With, state: State) -> Outcome:
        around: list[Handler] = []
        for value, target in stmt.items:
            opened = self.value(value, state)
            if target is not None:
                self.bind(target, opened, state)
            made = self.program.resolve(value.func, self.scope) if isinstance(value, n.Call) else None
            if made is not None and isinstance(made.node, n.Function) and made.scope is not None:
                # A context manager of the service's own may catch what its body raises.
                around.extend(endings.wrapping(self, made.node, made.scope))
        self.handlers.extend(around)
        outcome = self.block(stmt.body, state)
        del self.handlers[len(self.handlers) - len(around) :]
        return outcome

    def do(self, stmt: n.Do, expr: n.Expr, state: State) -> Outcome | None:
        self.dropped = expr
        value = self.value(expr, state)
        if self.sends:
            # The answer is sent: whether the handler then carries on is seen from what it does next.
            outcome = Outcome()
            outcome.passed = value.role == "answer" and value.via == "caught"
            return outcome
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
                    self.bind(item, self.value(exprs[i], state) if exprs else self.part(value, i, len(items)), state)
            case n.Entries():
                self.take_apart(target, value, state)
            case n.Bind(target=inner):
                self.bind(inner, value, state)
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

    def take_apart(self, target: n.Entries, value: Value, state: State) -> None:
        """`{a, b: c, ...rest} = value`: each name gets a member."""
        for key, inner in target.entries:
            text = self.text(key, state) if key is not None else None
            if text is None:
                self.bind(inner, value if key is None else value.made_from(), state)
                continue
            held = expressions.member_of(self, target, value, text, state)
            if isinstance(inner, n.Bind):
                default = self.value(inner.value, state)
                if held.origin is not None:
                    state.present |= {held.origin}
                self.bind(inner.target, held.but(taints=held.taints | default.touched), state)
            else:
                self.bind(inner, held, state)

    def part(self, value: Value, position: int, count: int) -> Value:
        """What the name at `position`, of so many, gets when a value is taken apart."""
        if value.via == "pairs" and value.origin is not None:
            step = value.origin.child("{}")
            return Value(step, via="key") if position == 0 else Value(step, made=value.made, type=value.type)
        if value.via == "numbered" and position == 0:
            return NOTHING
        if value.via == "numbered" and value.origin is not None:
            return Value(value.origin, made=value.made, type=value.type)
        if value.parts:
            last = position == count - 1
            # The last of them tells how it went.
            at = len(value.parts) - 1 if last else position
            held = value.parts[at] if at < len(value.parts) - (0 if last else 1) else NOTHING
            return held.but(facts=value.facts) if last and value.facts is not None else held
        if self.words.language.returns_errors and value.facts is not None and position == 0:
            return value
        if self.words.language.returns_errors and value.role == "lookup":
            # What it found, and an error that may say anything.
            return value if position == 0 else Value(role="error")
        return value.made_from()

    def bind_member(
        self, target: n.Member, base: n.Expr, name: str, value: Value, source: n.Expr | None, state: State
    ) -> None:
        held = self.value(base, state)
        if held.role == "reply":
            replies.assigned(self, target, name, value, source, state)
            return
        if held.role == "request":
            self.kept[name] = value
            return
        if name == self.words.status_member and self.is_answer(held):
            status = endings.status_of(self, source, self.scope)
            if held.role == "answer" and isinstance(base, n.Name):
                state.env[base.id] = held.but(status=status)
            elif status is not None and status >= 400:
                # The framework's own response object: sent whenever the handler returns, and stopping nothing.
                state.status = (status, self.place(target))
            return
        if held.role in ("lookup", "entity"):
            place = self.place(target)
            self.store(value, place, state, at_once=False)
            if value.origin is not None and not value.via and held.made is not None:
                into = Into(n.Call(target.span, target, ()), self.scope, held.made)
                self.report.writes.append(Write(value.origin, name, into, place, value.origin in state.present))
        if isinstance(base, n.Name) and base.id in state.env and held.origin is None:
            attrs = {**held.attrs, name: value}
            state.env[base.id] = held.but(attrs=attrs)

    def answer(self, call: n.Call, scope: Scope) -> Value | None:
        """The response or error that a call makes, seen from `scope`; None where it makes neither."""
        return calls.answer(self, call, self.program.resolve(call.func, scope), scope)

    def is_answer(self, held: Value) -> bool:
        """True for a response, made here or handed in by the framework."""
        made = held.made
        return held.role == "answer" or (
            made is not None and self.program.derives(made, self.words.answers) is not None
        )

    # --- records ------------------------------------------------------------------------------------------------------

    def leave_with(self, result: Result, place: Place) -> None:
        """Let the statement being walked end here: a call in it throws."""
        self.gone = Exit("raise", result, place)

    def check(self, finding: Finding, result: Result, message: str | None = None) -> None:
        if finding.run is not None:
            # What refuses is the outcome of a model's rules: all of them are checked here.
            run = finding.run
            run.settled = True
            if run.limit is None:
                self.report.runs.extend(run.ended(result))
                return
            finding = msgspec.structs.replace(run.limit, lenient=finding.lenient)
        found = Check(finding.origin, finding.kind, finding.value, finding.place, result, message, finding.sized,
                      finding.presence, finding.asserted, finding.falsy, finding.lenient, finding.demands)  # fmt: skip
        if found not in self.report.checks:
            self.report.checks.append(found)

    def event(self, event: Event) -> None:
        if event not in self.report.events:
            self.report.events.append(event)

    def escape(self, value: Value, place: Place, what: str) -> None:
        for origin in ordered(value.touched):
            if all(e.origin != origin for e in self.report.escapes):
                self.report.escapes.append(Escape(origin, place, what))

    def sink(self, value: Value, what: SinkKind, place: Place) -> None:
        if value.via == "outside":
            return
        for origin in ordered(value.touched):
            found = Sink(origin, what, place, whole=False)
            if found not in self.report.sinks:
                self.report.sinks.append(found)

    def store(self, value: Value, place: Place, state: State, at_once: bool, into: Into | None = None) -> None:
        """Client data goes to storage, at once or when a commit follows."""
        replies.carry_on(state)
        if into is not None:
            self.report.writes.extend(_columns(value, into, place, state.present))
        for part in (p for p in (value, *value.attrs.values()) if p.via != "outside"):
            for origin in ordered(part.touched):
                # What is given to one column has been chosen.
                whole = part is value and (
                    part.whole is not None or (part.origin == origin and part.via in ("", "dump"))
                )
                self.report.sinks.append(Sink(origin, "storage", place, whole))
                (state.stored if at_once else state.staged).append((origin, place))
        if value.whole is not None:
            self.report.sinks.append(Sink(value.whole, "storage", place, True))
            (state.stored if at_once else state.staged).append((value.whole, place))

    def constant(self, expr: n.Expr | None, state: State) -> n.Literal | None:
        """The constant an expression stands for, also one handed to the function being walked."""
        held = state.env.get(expr.id) if isinstance(expr, n.Name) else None
        if held is not None and held.literal is not None:
            return held.literal
        if isinstance(expr, n.Unary) and expr.op == "-":
            inner = self.constant(expr.value, state)
            return (
                n.Literal(expr.span, -inner.value)
                if inner is not None and isinstance(inner.value, int | float)
                else None
            )
        found = self.program.constant(expr, self.scope)
        known = self.words.language.constants
        if found is None and known and isinstance(expr, n.Member):
            value = known.get(self.program.name_of(expr, self.scope) or "")
            return n.Literal(expr.span, value) if value is not None else None
        return found

    def text(self, expr: n.Expr | None, state: State) -> str | None:
        """The same for text."""
        found = self.constant(expr, state)
        return found.value if found is not None and isinstance(found.value, str) else None

    def value(self, expr: n.Expr | None, state: State) -> Value:
        """What an expression holds."""
        return expressions.value(self, expr, state)


def _columns(value: Value, into: Into, place: Place, present: frozenset[Origin]) -> Iterator[Write]:
    """Which column each piece of client data goes into, where it goes there as it is."""
    whole = value.whole or (value.origin if value.via in ("", "dump") else None)
    if whole is not None:
        yield Write(whole, None, into, place, False)
    for name, part in value.attrs.items():
        if part.origin is not None and not part.via:
            yield Write(part.origin, name, into, place, part.origin in present)
