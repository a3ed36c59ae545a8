"""Data that the handler's own call makes a value of: the fields of its type, and which of their rules some call then runs."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec

from mappu.flow.values import FLAT, ModelRun, Result
from mappu.frameworks.base import Ran, Taken
from mappu.inventory.model import Constraint, RunBy, Status
from mappu.pipeline.drafts import Draft
from mappu.pipeline.layout import WHOLE, Laid, lay_out
from mappu.vocabularies.shape import Rule, Shape

if TYPE_CHECKING:
    from mappu.pipeline.assemble import Assembly

STATUS: dict[str, Status] = {
    "rejects": "runs", "breaks": "breaks", "swallowed": "leaks", "carries-on": "leaks", "too-late": "leaks",
    "unknown": "unknown",
}  # fmt: skip
DECODER, BY_HAND = "decoder", "call by hand"
# The best thing that can become of a rule comes first: one call that refuses is enough.
_BEST = ("rejects", "unknown", "breaks", "carries-on", "too-late", "swallowed")


def gather(assembly: Assembly, runs: list[ModelRun]) -> None:
    """Lay out what the calls of a route decode, with what becomes of each rule."""
    for run in (r for r in runs if r.decodes):
        _decode(assembly, run, runs)
    for run in (r for r in runs if not r.decodes):
        _limit(assembly, run)


def _decode(assembly: Assembly, run: ModelRun, runs: list[ModelRun]) -> None:
    shape = assembly.shape_of(run)
    if shape is None or not (shape.fields or shape.items or shape.values) or _is_free(shape):
        assembly.whole(run, shape)
        return
    if run.strict:
        shape = shape.with_(extra="forbid")
    place = run.place
    by = RunBy(DECODER, place.file, place.line, place.text or "")
    status = STATUS[run.result.effect]
    ran = Ran(by, status, why(run.result, "the decoder's error"), by if status == "runs" else None)
    if run.origin.place not in FLAT:
        # Names of a query that the type does not list may be read by hand all the same.
        assembly.known.append(run.origin)
    if shape.entity and shape.model is not None:
        assembly.entities[run.origin.place] = shape.model
    taken = Taken(run.origin.place, "", shape, False, place, run.origin, decoded=True)
    assembly.taking = msgspec.structs.replace(assembly.taking, taken=(*assembly.taking.taken, taken))
    above = assembly.nearest(run.origin)
    where, wire = assembly.where(run.origin, above)
    for laid in lay_out(where, wire, run.origin, shape, False, place):
        laid = msgspec.structs.replace(laid, default=laid.default)
        assembly.notes.extend((note, laid.path) for note in laid.shape.notes)
        draft = Draft(laid, raw=False, ran=ran)
        for rule in laid.shape.rules:
            draft.constraints.append(_constraint(rule, ran, _run_for(rule, laid, runs)))
        _without_twins(draft)
        element = laid.path.endswith(("[]", "{}"))
        draft.not_null = not element and laid.default is None and _is_asked_for(laid.shape, laid, runs)
        draft.demanded = draft.not_null or (laid.place == "path" and laid.path != WHOLE)
        _place(assembly, draft)


def _is_free(shape: Shape) -> bool:
    """A map with anything in it."""
    inside = shape.values
    return inside is not None and inside.type == "any" and inside.known and not inside.rules and not shape.fields


def _place(assembly: Assembly, draft: Draft) -> None:
    """Keep the field, together with what is known of the same one."""
    laid, key = draft.laid, (draft.laid.origin.place, draft.laid.origin.path)
    if laid.place == "path":
        # The router knows it by the name in the path.
        named = next(
            (k for k, d in assembly.drafts.items() if d.laid.place == "path" and d.laid.path == laid.path), None
        )
        before = assembly.drafts.pop(named) if named is not None else None
        draft.constraints[:0] = before.constraints if before is not None else []
        assembly.drafts[key] = draft
        return
    before = assembly.drafts.get(key)
    if before is not None and not before.raw:
        before.constraints.extend(c for c in draft.constraints if c not in before.constraints)
        before.demanded = before.demanded or draft.demanded
        return
    assembly.drafts[key] = draft


def _is_asked_for(shape: Shape, laid: Laid, runs: list[ModelRun]) -> bool:
    """True where leaving it out is refused: by a rule on it, or on something in it that is there even then."""
    if any(r.absent and _refuses(r, laid, runs) for r in shape.rules):
        return True
    return not shape.optional and any(_is_asked_for(f.shape, laid, runs) for f in shape.fields)


def _run_for(rule: Rule, laid: Laid, runs: list[ModelRun]) -> ModelRun | None:
    """The call that runs a rule of that key on this data."""
    fitting = [r for r in runs if r.keys is not None and rule.key in r.keys and r.origin.covers(laid.origin)]
    return min(fitting, key=lambda r: _BEST.index(r.result.effect), default=None)


def _refuses(rule: Rule, laid: Laid, runs: list[ModelRun]) -> bool:
    run = _run_for(rule, laid, runs)
    return run is not None and run.result.effect == "rejects" and run.skipped is None


def _constraint(rule: Rule, decoded: Ran, run: ModelRun | None) -> Constraint:
    if rule.typed:
        return Constraint(rule.kind, rule.value, decoded.status, None, rule.declared, decoded.run_by, decoded.why_not)
    if rule.skipped is not None:
        return Constraint(rule.kind, rule.value, "idle", rule.message, rule.declared, None, rule.skipped)
    if run is None or run.skipped is not None:
        said = run.skipped if run is not None else None
        said = (
            said or f"`{rule.key}` tags are only text until a validator is called, and nothing on this route calls one"
        )
        return Constraint(rule.kind, rule.value, "idle", rule.message, rule.declared, None, said)
    by = RunBy(DECODER if run.decodes else BY_HAND, run.place.file, run.place.line, run.place.text or "")
    told = why(run.result, "the validator's error")
    return Constraint(rule.kind, rule.value, STATUS[run.result.effect], rule.message, rule.declared, by, told)


def _without_twins(draft: Draft) -> None:
    """Leave out an idle rule that stands there for another validator as well, which runs it."""
    running = {(c.kind, str(c.value)) for c in draft.constraints if c.status != "idle"}
    draft.constraints = [c for c in draft.constraints if c.status != "idle" or (c.kind, str(c.value)) not in running]


def _limit(assembly: Assembly, run: ModelRun) -> None:
    """Lay rules on data that is there already: those of one value, of a list of rules, of a member of another type."""
    own = next(
        (d for d in assembly.drafts.values() if run.origin.covers(d.laid.origin) and not d.raw and d.bound), None
    )
    if own is not None and not run.listed:
        # Its own rules: told where it was laid out.
        return
    shape = assembly.shape_of(run)
    if shape is None:
        return
    ran = Ran(RunBy(BY_HAND, run.place.file, run.place.line, run.place.text or ""), STATUS[run.result.effect],
              why(run.result, "the check's error"))  # fmt: skip
    for laid in lay_out(run.origin.place, "", run.origin, shape, False, run.place):
        rules = [r for r in laid.shape.rules if not r.typed]
        draft = assembly.raw(laid.origin, run.place) if rules else None
        for rule in rules if draft is not None else ():
            assert draft is not None
            if all((c.kind, c.value, c.declared) != (rule.kind, rule.value, rule.declared) for c in draft.constraints):
                draft.constraints.append(_constraint(rule, ran, run))
            draft.demanded = draft.demanded or (rule.absent and run.result.effect == "rejects")


def why(result: Result, what: str) -> str | None:
    """Why a failed check is not simply refused."""
    line = f" (line {result.place.line})" if result.place is not None else ""
    return {
        "breaks": f"{what} ends as a 5xx{line}",
        "swallowed": f"nothing acts on {what}{line}",
        "carries-on": f"it answers {result.status} by itself, and the handler carries on{line}",
        "too-late": f"the data was stored before{line}",
        "unknown": f"what becomes of {what} could not be followed",
    }.get(result.effect)
