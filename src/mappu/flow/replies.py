"""The response object that a handler is given: answers sent through it, and what is done after one was sent."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from mappu.flow import endings
from mappu.flow.state import Sent, State
from mappu.flow.values import ALL, Effect, Event, Given, Result, Value
from mappu.flow.words import Reply
from mappu.symbols.program import Target
from mappu.syntax import nodes as n

if TYPE_CHECKING:
    from mappu.flow.engine import Engine

# The status of an answer that the caught error chooses itself.
OWN = -1


def call(engine: Engine, expr: n.Call, word: Reply | None, held: Value, given: Given, state: State) -> Value:
    """A method of the response object, or a function that answers through it."""
    if word is None:
        return held
    place = engine.place(expr)
    status = held.status if held.status is not None else state.status[0] if state.status is not None else None
    if word.always is not None:
        status = word.always
    elif word.status is not None and len(expr.positional) > word.status:
        status = status_in(engine, expr.positional[word.status], given[word.status][1], state)
    if word.throws:
        target = given[0][1].made if given else None
        engine.leave_with(endings.thrown(engine, target or Target("Error"), status, place), place)
        return Value(role="error", status=status)
    if word.makes:
        return Value(role="answer", status=200 if status is None else status)
    if word.stops and not word.sends:
        for sent in state.sent:
            sent.stops = True
        return held
    if not word.sends:
        state.status = (status or 0, place)
        return held.but(status=status)
    begun = [s for s in state.sent if s.open]
    if begun and word.status is None and word.always is None:
        for sent in begun:
            sent.open = False
        return Value(role="answer", status=begun[-1].status)
    known = len(engine.sents)
    send(engine, 200 if status is None else status, place, state)
    for sent in engine.sents[known:]:
        sent.open, sent.stops = word.opens, word.stops
    return Value(role="answer", status=200 if status is None else status)


def status_in(engine: Engine, expr: n.Expr, held: Value, state: State) -> int:
    """The status an expression stands for: a number; that of a caught error (`OWN`); 0 where it cannot be told."""
    constant = engine.constant(expr, state)
    if constant is not None and isinstance(constant.value, int):
        return constant.value
    if held.via == "caught":
        return OWN
    if held.refers is not None:
        # Handed over by its name.
        return endings.status_of(engine, *held.refers) or 0
    return endings.status_of(engine, expr, engine.scope) or 0


def send(engine: Engine, status: int, place: object, state: State) -> None:
    """Note an answer that is sent here."""
    assert isinstance(place, msgspec.Struct)
    carry_on(state)
    state.status = (status, place)  # type: ignore[assignment]
    if status >= 400:
        sent = Sent(status, place)  # type: ignore[arg-type]
        engine.sents.append(sent)
        state.sent = (*state.sent, sent)


def go_on(engine: Engine, expr: n.Call, given: Given, state: State) -> Value:
    """A call of what comes next: without an error the route goes on, with one it is answered by whoever answers errors."""
    if not given:
        carry_on(state)
        return Value()
    place, held = engine.place(expr), given[0][1]
    if held.via == "caught":
        return Value(role="answer", via="caught")
    result = endings.raised(engine, expr.positional[0] if expr.positional else None, held, place, passed=True)
    status = result.status or (400 if result.effect == "rejects" else 500)
    send(engine, status if result.effect != "unknown" else 0, place, state)
    return Value(role="answer", status=status if result.effect != "unknown" else 0)


def assigned(engine: Engine, target: n.Member, name: str, value: Value, source: n.Expr | None, state: State) -> None:
    """A member of the response object is set: its status, or its body, which answers."""
    word = engine.words.replies.get(f"{name}=")
    if word is None:
        return
    place = engine.place(target)
    if word.status is not None and source is not None:
        status = status_in(engine, source, value, state)
        state.status = (status, place)
        if word.sends:
            send(engine, status, place, state)


def carry_on(state: State) -> None:
    """Something that matters is done: whoever was told "error" before was told wrong."""
    for sent in state.sent:
        sent.carried = True


def judge(engine: Engine) -> None:
    """Once a function is walked: the refusals after which it carried on, and the outcomes nobody looked at."""
    report = engine.report
    for sent in engine.sents:
        if not sent.carried:
            continue
        if sent.run is not None:
            why = f"it answers {sent.status} by itself where it refuses, and the handler carries on as if nothing had happened"
            engine.event(Event("no-stop", sent.place, why, sent.run.origin))
        for check in sent.checks:
            if check in report.checks:
                at = report.checks.index(check)
                result = Result("carries-on", sent.status, sent.place)
                report.checks[at] = msgspec.structs.replace(check, result=result)
            why = "an error answer is sent here, and the handler carries on as if nothing had happened"
            engine.event(Event("no-stop", sent.place, why, check.origin))
    by_itself = {id(s.run): s for s in engine.sents if s.run is not None}
    for run in engine.open_runs:
        if run.settled:
            continue
        own = by_itself.get(id(run))
        if own is not None:
            carries = Result("carries-on" if own.carried else "rejects", own.status, own.place)
            report.runs.extend(run.ended(carries))
            continue
        effect: Effect = "unknown" if run.looked else "swallowed"
        if run.limit is not None:
            engine.check(run.limit, Result("swallowed"))
            if not run.looked and run.origin not in engine.bounded:
                # Where it is held against a limit, what is no such value is dealt with as nought is.
                why = f"text that is no {run.limit.value} gives back an error here, which nothing acts on: it goes on as 0"
                engine.event(Event("ignored-outcome", run.place, why, run.limit.origin, severity="medium"))
            continue
        if run.origin == ALL and effect == "swallowed":
            why = "the request is checked before, and nothing acts on the outcome here"
            engine.event(Event("ignored-outcome", run.place, why))
        report.runs.extend(run.ended(Result(effect)))
        if run.runs and not run.looked:
            why = "nothing looks at the error that this gives back, and the handler goes on with the data"
            engine.event(Event("ignored-outcome", run.place, why, run.origin))
