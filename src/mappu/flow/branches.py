"""Branches: conditions, loops and switches, and what a branch that refuses says of client data."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

import msgspec

from mappu.flow import conditions, model_runs
from mappu.flow.state import Condition, Outcome, Sent, State, element
from mappu.flow.values import NOTHING, Effect, Event, Facts, Finding, Result, Value
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine


# Names of lists that errors are gathered in.
ERROR_LIST = re.compile(r"err|problem|issue|invalid|fail|violat|message|wrong|missing|reason|warn|reject", re.I)


def if_(engine: Engine, stmt: n.If, state: State) -> Outcome:
    facts = conditions.facts(engine, stmt.test, state)
    decided = conditions.decided(engine, stmt.test, state)
    if decided is not None:
        return engine.block(stmt.then if decided else stmt.other, state)
    outcomes = [f for f in (*facts.if_true, *facts.if_false) if f.run is not None or f.sent is not None]
    for finding in outcomes:
        if finding.run is not None:
            finding.run.looked = True
    answered = {f.sent for f in outcomes}
    then, other = state.copy(), state.copy()
    if engine.words.language.returns_errors:
        _narrow(stmt.test, then, other)
    if _asserts(engine, stmt.then):
        # An assertion that something was found, or is there at all, tells the reader what the code knows already.
        told = (
            {"exists", "unique", "notEmpty"}
            if conditions.compares(stmt.test)
            else {"exists", "unique", "notEmpty", "custom"}
        )
        rules = tuple(
            msgspec.structs.replace(f, asserted=True)
            for f in facts.if_false
            if not f.asks_presence and f.kind not in told
        )
        facts = Facts(facts.if_true, rules)
    then.learn(facts.if_true)
    other.learn(facts.if_false)
    text = engine.place(stmt.test).text or ""
    failed = {id(other if f in facts.if_true else then) for f in outcomes}
    for arm in (then, other) if answered else ():
        # Whoever looks at what has been answered already may say more.
        arm.sent = tuple(s for s in arm.sent if s not in answered)
    # Where the other arm leaves, code in this one stands under no condition that matters.
    taken = _arm(engine, stmt.then, then, None if _leaves(stmt.other) else Condition(text, facts.if_true))
    skipped = _arm(engine, stmt.other, other, None if _leaves(stmt.then) else Condition(f"not {text}", facts.if_false))
    guard(engine, facts.if_false, stmt.then, taken, then, state, beside=bool(stmt.other))
    guard(engine, facts.if_true, stmt.other, skipped, other, state, beside=bool(stmt.then))
    outcome = Outcome()
    outcome.absorb(taken)
    outcome.absorb(skipped)
    outcome.falls = taken.falls or skipped.falls
    for finding in outcomes:
        # Both ways go on alike, but for something that is done where all is well: nobody acts on it here.
        well, ill, body = (taken, skipped, stmt.other) if finding in facts.if_true else (skipped, taken, stmt.then)
        stored = (then if finding in facts.if_true else other).stored
        if finding.run is not None and not body and well.falls and ill.falls and len(stored) == len(state.stored):
            finding.run.looked = False
    for arm, step in ((then, taken), (other, skipped)) if answered else ():
        if id(arm) in failed and step.falls:
            # It goes on all the same.
            arm.sent = (*arm.sent, *(s for s in answered if isinstance(s, Sent)))
    state.take(s for s, o in ((then, taken), (other, skipped)) if o.falls)
    return outcome


def _narrow(test: n.Expr, then: State, other: State) -> None:
    """Note which way an error that is held against nothing turned out."""
    if not isinstance(test, n.Binary) or test.op not in ("==", "!=") or not isinstance(test.left, n.Name):
        return
    if not isinstance(test.right, n.Literal) or test.right.value is not None:
        return
    name, there, gone = test.left.id, *((then, other) if test.op == "!=" else (other, then))
    held = there.env.get(name)
    if held is not None and held.origin is None:
        there.env[name] = held.but(truth=True)
        gone.env[name] = Value(role="local", truth=False, literal=test.right)


def _asserts(engine: Engine, body: tuple[n.Stmt, ...]) -> bool:
    last = body[0] if len(body) == 1 else None
    name = dotted(last.value) if isinstance(last, n.Leave) and last.kind == "raise" else None
    return name == engine.words.language.assertion


def _arm(engine: Engine, body: tuple[n.Stmt, ...], state: State, condition: Condition | None) -> Outcome:
    if condition is None:
        return engine.block(body, state)
    engine.under.append(condition)
    try:
        return engine.block(body, state)
    finally:
        engine.under.pop()


def _leaves(body: tuple[n.Stmt, ...]) -> bool:
    """True for a body that plainly ends by returning or raising."""
    last = body[-1] if body else None
    if isinstance(last, n.If):
        return _leaves(last.then) and _leaves(last.other)
    return isinstance(last, n.Leave) and last.kind in ("return", "raise")


def guard(
    engine: Engine,
    findings: tuple[Finding, ...],
    body: tuple[n.Stmt, ...],
    outcome: Outcome,
    after: State,
    before: State,
    beside: bool = False,
) -> None:
    """Judge a branch: where it refuses, what its condition rules out becomes a check. `beside` where the other way has code of
    its own."""
    if not body or not findings:
        return
    if outcome.falls:
        guard_that_falls(engine, findings, body, outcome, after, before, beside)
        return
    ends = [e for e in outcome.exits if e.kind in ("return", "raise")]
    if not ends or any(e.kind == "loop" for e in outcome.exits):
        return
    effects = {e.result.effect for e in ends}
    if len(engine.frames) > 1 and not engine.frame.goes_on and all(e.kind == "return" for e in ends):
        # What a helper returns refuses nothing by itself: it is a verdict, for whoever called to act on.
        fresh = [s for e in ends for s in e.sent if s not in before.sent]
        if engine.sends and fresh:
            # It has answered before it leaves.
            attach(engine, findings, fresh, before)
            findings = tuple(msgspec.structs.replace(f, sent=fresh[0]) for f in findings)
        plain = all(e.value is NOTHING for e in ends)
        truths = {True if e.value.role == "answer" else False if plain else e.value.truth for e in ends}
        if len(truths) == 1 and None not in truths:
            engine.frame.verdicts.append((truths == {True}, findings))
            for finding in findings if not plain else ():
                if finding.run is not None:
                    # It is for the caller to look at now.
                    finding.run.looked = False
        return
    answered = [f for f in findings if isinstance(f.sent, Sent)]
    if engine.sends and effects == {"carries-on"} and answered:
        # The refusal was sent before, and the handler leaves on it.
        for finding in answered:
            if isinstance(finding.sent, Sent) and finding.sent.run is not None:
                settle(engine, finding, Result("rejects", finding.sent.status, finding.sent.place), before, None)
        return
    if engine.sends and effects == {"carries-on"} and any(f.run is not None for f in findings):
        return
    worst = next((e.result for e in ends if e.result.effect == "breaks"), ends[0].result)
    if effects <= {"rejects", "breaks", "unknown"} or effects == {"swallowed"}:
        message = next((e.value.message for e in ends if e.value.message), None)
        known = len(engine.report.checks)
        for finding in findings:
            settle(engine, finding, worst, before, message)
        for sent in [s for e in ends for s in e.sent if s not in before.sent][:1]:
            # Whoever calls this may go on all the same.
            sent.checks.extend(engine.report.checks[known:])


def settle(engine: Engine, finding: Finding, result: Result, before: State, message: str | None) -> None:
    """Record a refusing check; one that comes after its data was stored is too late, and one that stands below a
    condition on something else is a limit for some requests only."""
    if any(c.kind == finding.kind and c.value == finding.value and c.origin == finding.origin and c.result.effect == "rejects"
           for c in engine.report.checks):  # fmt: skip
        # The same was refused before: it cannot fail here any more.
        return
    if finding.origin in before.present:
        finding = msgspec.structs.replace(finding, lenient=True)
    around = [c.text for c in engine.under if c.matters_to(finding)]
    if around and finding.kind not in ("exists", "unique"):
        text = f"{finding.place.text} (only where {' and '.join(around)})"
        finding = Finding(finding.origin, "custom", text, finding.place)
    late = next((p for o, p in before.stored if o.covers(finding.origin) or finding.origin.covers(o)), None)
    if result.effect == "rejects" and late is not None and finding.kind not in ("exists", "unique"):
        if late.file != finding.place.file or late.line > finding.place.line:
            # Stored in other code, as its own or as part of something else: whether too early is not plain to see.
            engine.check(finding, Result("unknown", result.status, late), message)
            return
        engine.check(finding, Result("too-late", result.status, late), message)
        why = f"the check refuses only after the data was stored on line {late.line}"
        engine.event(Event("late-check", finding.place, why, finding.origin))
        return
    if result.effect == "swallowed" and finding.kind in ("custom", "exists", "unique"):
        # Not plainly a limit of the value: the error may as well be how one part of the code tells another something.
        result = Result("unknown", None, result.place)
    engine.check(finding, result, message)
    if finding.run is not None and finding.run.limit is None:
        if result.effect == "breaks" and finding.run.runs:
            why, mend = finding.run.fault or ("what this refuses", "")
            why = f"{why} is answered with a 5xx{_at(result)}"
            engine.event(Event("server-error", finding.place, why, finding.origin, mend=mend))
        return
    if result.effect == "breaks":
        ends = f"an error that nothing maps to a 4xx (line {result.place.line})" if result.place else "a 5xx"
        why = f"what the check refuses ends as {ends}"
        engine.event(Event("server-error", finding.place, why, finding.origin, finding.presence, finding.asserted))
    elif result.effect == "swallowed":
        why = "the failed check raises an error that is caught and passed over"
        engine.event(Event("ignored-outcome", finding.place, why, finding.origin))


def _at(result: Result) -> str:
    return f" (line {result.place.line})" if result.place is not None else ""


def guard_that_falls(
    engine: Engine,
    findings: tuple[Finding, ...],
    body: tuple[n.Stmt, ...],
    outcome: Outcome,
    after: State,
    before: State,
    beside: bool = False,
) -> None:
    if engine.sends:
        fresh = [s for s in after.sent if s not in before.sent]
        if fresh:
            attach(engine, findings, fresh, before)
            return
        if outcome.passed:
            return
    dropped = outcome.dropped
    if dropped is None and not engine.sends and after.status is not None and after.status != before.status:
        dropped = after.status[1]
    if dropped is not None:
        for finding in findings:
            engine.check(finding, Result("carries-on", None, dropped))
            why = "an error answer is made here, and the handler carries on as if nothing had happened"
            engine.event(Event("no-stop", dropped, why, finding.origin))
        return
    gathered = _gathering(engine, body, before) or _listing(engine, findings, body, before)
    if gathered is not None:
        engine.frame.pending.setdefault(gathered, []).extend(findings)
    elif outcome.falls and not beside and _only_notices(engine, body):
        for finding in findings:
            # A remark on something that is no limit of a value is only a remark.
            if finding.run is not None:
                engine.check(finding, Result("swallowed"))
                if finding.run.runs or finding.run.limit is not None:
                    why = "the error is only logged, and the handler goes on with the data"
                    engine.event(Event("ignored-outcome", finding.place, why, finding.origin))
            elif not finding.presence and finding.kind != "custom":
                engine.check(finding, Result("swallowed"))
                why = "the failed check is only logged, and the handler goes on with the data"
                engine.event(Event("ignored-outcome", finding.place, why, finding.origin))


def attach(engine: Engine, findings: tuple[Finding, ...], sents: list[Sent], before: State) -> None:
    """Record what an answer refuses that is sent without leaving; whether it is carried on after is judged in the end."""
    status = sents[0].status
    effect: Effect = "unknown" if status <= 0 else "rejects" if status < 500 else "breaks"
    for finding in findings:
        known = len(engine.report.checks)
        settle(engine, finding, Result(effect, status, sents[0].place), before, None)
        sents[0].checks.extend(engine.report.checks[known:])


def loop(engine: Engine, stmt: n.Loop, state: State) -> Outcome:
    inner = state.copy()
    if stmt.over is not None and stmt.target is not None:
        over = engine.value(stmt.over, state)
        if over.via == "faults":
            model_runs.faults_looked_at(over)
        engine.bind(stmt.target, element(over), inner)
        if (
            over.origin is None
            and over.touched
            and any(isinstance(s, n.Leave) and s.kind == "raise" for s in walk(*stmt.body))
        ):
            # Several things put together for one loop that refuses some of them: which, it does not say.
            engine.escape(over, engine.place(stmt), "a loop over several values may refuse it")
    if stmt.test is not None:
        engine.value(stmt.test, inner)
    outcome = engine.block(stmt.body, inner)
    outcome.exits = [e for e in outcome.exits if e.kind != "loop"]
    outcome.falls = True
    state.take([inner, state.copy()])
    rest = engine.block(stmt.other, state)
    outcome.absorb(rest)
    return outcome


def switch(engine: Engine, stmt: n.Switch, state: State) -> Outcome:
    subject = engine.value(stmt.subject, state)
    outcome, arms = Outcome(), []
    if subject.literal is not None:
        for case in stmt.cases:
            values = [engine.constant(p, state) for p in case.patterns]
            if not case.patterns or any(v is not None and v.value == subject.literal.value for v in values):
                return engine.block(case.body, state)
    allowed: list[object] = []
    open_ended = True
    for case in stmt.cases:
        arm = state.copy()
        text = f"{engine.place(stmt.subject).text} is {engine.place(case.patterns[0]).text}" if case.patterns else ""
        step = _arm(engine, case.body, arm, Condition(text, ()) if case.patterns else None)
        outcome.absorb(step)
        constants = [engine.program.constant(p, engine.scope) for p in case.patterns]
        if case.patterns and all(c is not None for c in constants):
            allowed.extend(c.value for c in constants if c is not None)
            _admit(engine, step, subject, [c.value for c in constants if c is not None], stmt)
        elif not case.patterns:
            open_ended = False
            if subject.origin is not None and allowed:
                finding = Finding(subject.origin, "enum", list(allowed), engine.place(stmt.subject))
                guard(engine, (finding,), case.body, step, arm, state)
        if step.falls:
            arms.append(arm)
    outcome.falls = open_ended or bool(arms)
    state.take(arms + ([state.copy()] if open_ended else []))
    return outcome


def _admit(engine: Engine, step: Outcome, subject: Value, values: list[object], stmt: n.Switch) -> None:
    """Note the values that a helper says at once are good (or that nothing is wrong with)."""
    truths = {e.value.truth for e in step.exits if e.kind == "return"}
    if (
        subject.origin is not None
        and not step.falls
        and len(engine.frames) > 1
        and len(truths) == 1
        and None not in truths
    ):
        finding = Finding(subject.origin, "enum", values, engine.place(stmt.subject))
        engine.frame.admits.append((truths == {True}, finding))


def _only_notices(engine: Engine, body: tuple[n.Stmt, ...]) -> bool:
    """True for a branch that does nothing but log that something is wrong."""
    return bool(body) and all(
        isinstance(s, n.Do)
        and isinstance(s.value, n.Call)
        and isinstance(s.value.func, n.Member)
        and s.value.func.name in engine.words.language.notices
        for s in body
    )


def _gathering(engine: Engine, body: tuple[n.Stmt, ...], state: State) -> str | None:
    """Return the name of the local list that a branch adds an error to, if that is what it does."""
    for stmt in body:
        base, added = added_to(engine, stmt)
        held = state.env.get(base.id) if base is not None else None
        if base is None or held is None or held.role != "local" or held.touched:
            continue
        if ERROR_LIST.search(base.id) or any(isinstance(a, n.Template) or _is_text(engine, a) for a in added):
            return base.id
    return None


def _listing(engine: Engine, findings: tuple[Finding, ...], body: tuple[n.Stmt, ...], state: State) -> str | None:
    """Return the name of the local list that the faults of a model are added to, one by one."""
    if all(f.run is None for f in findings):
        return None
    for stmt in walk(*body):
        base, _ = added_to(engine, stmt) if isinstance(stmt, n.Assign | n.Do) else (None, ())
        held = state.env.get(base.id) if base is not None else None
        if base is not None and held is not None and not held.touched:
            for finding in findings:
                if finding.run is not None:
                    # It is for whoever gets the list to look at now.
                    finding.run.looked = False
            return base.id
    return None


def added_to(engine: Engine, stmt: n.Stmt) -> tuple[n.Name | None, tuple[n.Expr, ...]]:
    """The list or map that a statement adds to, and what it adds."""
    if isinstance(stmt, n.Do) and isinstance(stmt.value, n.Call) and isinstance(stmt.value.func, n.Member):
        base = stmt.value.func.value
        if stmt.value.func.name in engine.words.language.adders and isinstance(base, n.Name):
            return base, stmt.value.positional
    if isinstance(stmt, n.Assign) and isinstance(stmt.value, n.Call) and dotted(stmt.value.func) == "append":
        # `list = append(list, fault)`.
        target, given = stmt.targets[0], stmt.value.positional
        same = isinstance(target, n.Name) and bool(given) and dotted(given[0]) == target.id
        return (target, given[1:]) if same and isinstance(target, n.Name) else (None, ())
    if isinstance(stmt, n.Assign) and isinstance(stmt.targets[0], n.Index | n.Member):
        inner = stmt.targets[0].value
        return (inner, (stmt.value,)) if isinstance(inner, n.Name) else (None, ())
    return None, ()


def _is_text(engine: Engine, expr: n.Expr) -> bool:
    found = engine.program.constant(expr, engine.scope)
    return found is not None and isinstance(found.value, str) and " " in found.value
