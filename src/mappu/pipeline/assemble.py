"""One endpoint put together: what is bound, what hand-written code adds, and what becomes of each limit."""

import re
from collections.abc import Iterable

import msgspec

from mappu.flow.engine import Engine
from mappu.flow.values import ALL, Check, Escape, Event, ModelRun, Origin, Read, Report, Result, Typed
from mappu.flow.words import Words
from mappu.frameworks.base import Framework, Ran, Route, Service, Taken, Taking
from mappu.inventory.model import (
    Constraint,
    ConstraintKind,
    Endpoint,
    FieldType,
    Handler,
    Place,
    PlaceIn,
    RunBy,
    Status,
)  # fmt: skip
from mappu.inventory.standing import endpoint_standing
from mappu.pipeline import decoded
from mappu.pipeline.decoded import BY_HAND
from mappu.pipeline.decoded import STATUS as _STATUS
from mappu.pipeline.drafts import Draft, meets
from mappu.pipeline.evidence import BY_STORAGE, FieldEvidence, RouteEvidence
from mappu.pipeline.layout import WHOLE, Laid, lay_out
from mappu.vocabularies import vocabularies
from mappu.vocabularies.shape import Note, Rule, Shape, refuses_zero

_SIZES: dict[tuple[ConstraintKind, FieldType], ConstraintKind] = {
    ("minLength", "array"): "minItems", ("maxLength", "array"): "maxItems",
    ("minLength", "object"): "minProperties", ("maxLength", "object"): "maxProperties",
}  # fmt: skip
_BOUNDS = frozenset({"minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "minLength", "maxLength"})


MAX_NAMED = 3


class Assembly:
    """Puts one route together."""

    def __init__(self, framework: Framework, service: Service, route: Route, engine: Engine) -> None:
        self.service, self.route, self.framework = service, route, framework
        language = engine.words.language
        self.falsy, self.missing_as, self.zeroes = language.falsy, language.missing_as, language.returns_errors
        self.taking: Taking = framework.takes(service, route)
        self.report: Report = engine.run(self.taking.entries, self.taking.known)
        read = next((r for r in self.report.reads if r.origin.place == "body"), None)
        if self.taking.no_body is not None and read is not None:
            event = Event("server-error", read.place, self.taking.no_body, Origin("body"))
            self.report.events.append(event)
        self.drafts: dict[tuple[str, tuple[str, ...]], Draft] = {}
        self.uploads = any(t.place == "form" and t.shape.type == "file" for t in self.taking.taken)
        self.entities: dict[str, str] = {}
        # Data whose fields a model lists: whatever else is read of it is none that a client sends.
        self.known: list[Origin] = []
        self.notes: list[tuple[Note, str | None]] = []
        self.needs: list[tuple[str, Place]] = []

    def build(self) -> RouteEvidence:
        """Return the endpoint with its evidence."""
        for taken in self.taking.taken:
            if not taken.shape.erased:
                self.bind(taken)
        for run in self.report.runs:
            if run.keys is None:
                self.run(run)
        decoded.gather(self, [r for r in self.report.runs if r.keys is not None])
        for taken in self.taking.taken:
            if taken.shape.erased:
                self.erased(taken.place, taken.origin, taken.shape, taken.declared)
        for typed in self.report.typed:
            self.declared(typed)
        for read in self.report.reads:
            self.read(read)
        for check in self.report.checks:
            self.check(check)
        for escape in self.report.escapes:
            self.escaped(escape)
        self.drop_whole_bodies()
        self.drop_what_is_no_input()
        found = [d.finish(self.report, self.uploads, self.entities.get(d.laid.place)) for d in self.drafts.values()]
        self.note_escapes()
        found.sort(key=lambda f: (_ORDER[f.field.place], f.field.path))
        return RouteEvidence(self.endpoint(found), self.route, self.service, self.taking, self.report, tuple(found),
                             self.framework.remedies, tuple(self.notes), tuple(dict.fromkeys(self.needs)))  # fmt: skip

    def endpoint(self, found: list[FieldEvidence]) -> Endpoint:
        route = self.route
        scope = route.scope
        fields = tuple(f.field for f in found)
        handler = Handler(route.symbol, scope.module.path, route.handler.line)
        name = self.service.root.name
        return Endpoint(f"{name} {route.method} {route.path}", name, route.surface, route.method, route.path,
                        route.framework, endpoint_standing(f.standing for f in fields), handler, fields)  # fmt: skip

    # --- what is bound ------------------------------------------------------------------------------------------------

    def bind(self, taken: Taken) -> None:
        """Lay out something the framework binds."""
        ran = self.awaited(taken) if taken.awaits else self.framework.runs(self.service, self.route, taken)
        shape = taken.shape
        stored = next(
            (s for s in self.report.sinks if s.whole and s.what == "storage" and s.origin == taken.origin), None
        )
        if ran.written is not None and stored is not None:
            status, why = ran.written
            by = RunBy(BY_STORAGE, stored.place.file, stored.place.line, stored.place.text or "")
            ran = Ran(by, status, why, ran.binder)
            shape = shape.with_(skipped=None) if status == "runs" else shape
        self.needs.extend(shape.needs)
        if shape.entity and shape.model is not None and shape.fields:
            self.entities[taken.place] = shape.model
        if shape.fields:
            self.known.append(taken.origin)
        free = not taken.wire and not shape.fields and shape.known and (shape.type == "any" or _is_free(shape))
        for laid in lay_out(
            taken.place, taken.wire, taken.origin, shape, taken.required, taken.declared, taken.default
        ):
            self.notes.extend((note, laid.path) for note in laid.shape.notes)
            key = (laid.origin.place, laid.origin.path)
            draft = Draft(laid, raw=free and laid.path == WHOLE, ran=ran, read=taken.declared if free else None)
            draft.constraints = [self.constraint(rule, ran) for rule in laid.shape.rules]
            self.drafts[key] = draft
        if shape.fields and not taken.wire:
            self.notes.extend((note, None) for note in shape.notes)

    def declared(self, typed: Typed) -> None:
        """All of a body or form that the code declares to be of a type."""
        erased = self.service.reader.erased
        if erased is not None and typed.origin.place in ("body", "form") and not typed.origin.path:
            shape = erased(self.service.reader, typed.type, typed.scope)
            if shape.erased:
                self.erased(typed.origin.place, typed.origin, shape, typed.place)

    def erased(self, place: PlaceIn, origin: Origin, shape: Shape, read: Place) -> None:
        """Lay out a type that only the compiler sees, where nothing else tells the fields: they are read by hand."""
        if any(origin.covers(known) for known in self.known) or any(o[0] == place and o[1] for o in self.drafts):
            return
        for laid in lay_out(place, "", origin, shape, False, read):
            nested = len(laid.origin.path) > len(origin.path) + 1
            laid = msgspec.structs.replace(laid, nested=nested)
            self.drafts[(laid.origin.place, laid.origin.path)] = Draft(laid, raw=True, ran=None, read=read)
        top = Laid(place, WHOLE, origin, Shape(), False, read, shape.model, None, nested=False)
        self.drafts.setdefault((origin.place, origin.path), Draft(top, raw=True, ran=None, read=read))

    def awaited(self, taken: Taken) -> Ran:
        """What becomes of checks whose outcome is only gathered: told by whoever asks for it."""
        run = next((r for r in self.report.runs if r.origin == ALL), None)
        declared = taken.declared
        by = RunBy("request binder", declared.file, declared.line, declared.text or "")
        if run is None and taken.told_to is not None:
            said = f"the rules run here, and nothing acts on the outcome in `{taken.told_to}`"
            self.report.events.append(Event("ignored-outcome", declared, said, taken.origin))
            return Ran(by, "leaks", said, by)
        if run is None:
            return Ran(None, "idle", "nothing on this route asks for the outcome of these checks")
        place = run.place
        why = None if run.result.effect == "rejects" else "the outcome is asked for and not acted on"
        return Ran(RunBy("request checks", place.file, place.line, place.text or ""), _STATUS[run.result.effect], why,
                   by if taken.told_to is not None else None)  # fmt: skip

    def constraint(self, rule: Rule, ran: Ran) -> Constraint:
        if rule.typed and ran.binder is not None:
            return Constraint(rule.kind, rule.value, "runs", rule.message, rule.declared, ran.binder, None)
        if rule.skipped is not None and ran.status not in ("idle", "unknown"):
            return Constraint(rule.kind, rule.value, "idle", rule.message, rule.declared, None, rule.skipped)
        broken = rule.breaks is not None and ran.status == "runs"
        status: Status = "breaks" if broken else ran.status
        why = rule.breaks if broken else ran.why_not
        return Constraint(rule.kind, rule.value, status, rule.message, rule.declared, ran.run_by, why)

    # --- what is run and read by hand ---------------------------------------------------------------------------------

    def run(self, run: ModelRun) -> None:
        """Lay out a model that the handler runs by hand on data nobody else has looked at."""
        above = self.nearest(run.origin)
        if above is not None and not above.raw and above.laid.origin == run.origin:
            return
        known = [d for d in self.drafts.values() if d.bound and not d.raw and run.origin.covers(d.laid.origin)]
        if any(d.ran is not None and d.ran.run_by is not None and d.ran.run_by.what != BY_HAND for d in known):
            return
        shape = self.shape_of(run)
        if shape is None:
            return
        self.needs.extend(shape.needs)
        if shape.fields:
            self.known.append(run.origin)
        place, wire = self.where(run.origin, above)
        if above is not None and shape.fields and above.laid.path == WHOLE and above.laid.origin == run.origin:
            # All of it is known by name from here on.
            self.drafts.pop((run.origin.place, run.origin.path), None)
        ran = self.ran_by_hand(run)
        for laid in lay_out(place, wire, run.origin, shape, True, run.place):
            self.notes.extend((note, laid.path) for note in laid.shape.notes)
            draft = Draft(laid, raw=False, ran=ran, read=run.place)
            draft.constraints = [self.constraint(rule, ran) for rule in laid.shape.rules]
            draft.required = laid.required and run.result.effect == "rejects" and run.skipped is None
            before = self.drafts.setdefault((laid.origin.place, laid.origin.path), draft)
            if before is not draft and before in known:
                # Two models on the same data: what either refuses is refused.
                before.constraints.extend(draft.constraints)
                before.required = before.required or draft.required
                before.type = draft.type if before.type == "any" else before.type
            elif before is not draft:
                self.drafts[(laid.origin.place, laid.origin.path)] = draft

    def ran_by_hand(self, run: ModelRun) -> Ran:
        place = run.place
        if run.skipped is not None:
            return Ran(None, "idle", run.skipped)
        by = RunBy(BY_HAND, place.file, place.line, place.text or "")
        why = {
            "rejects": None,
            "breaks": "the model's ValidationError is not turned into a 4xx: it ends as a 5xx",
            "swallowed": "the model's ValidationError is caught and passed over",
        }.get(run.result.effect, "what becomes of the model's ValidationError could not be followed")
        return Ran(by, _STATUS[run.result.effect], why)

    def shape_of(self, run: ModelRun) -> Shape | None:
        return shape_of(self.service, run)

    def whole(self, run: ModelRun, shape: Shape | None) -> None:
        """Data decoded to something that has no fields by name: free-form, or of a type that could not be followed."""
        draft = self.raw(run.origin, run.place)
        if draft is None:
            return
        if shape is None:
            self.service.note_place(run.place, f"the type that is decoded here could not be followed: {run.place.text}")
            draft.escape = draft.escape or Escape(run.origin, run.place, "its type could not be followed")
        elif draft.raw and run.result.effect == "rejects":
            draft.type = shape.type

    def nearest(self, origin: Origin) -> Draft | None:
        """The draft of this data, or of what it lies in."""
        for size in range(len(origin.path), -1, -1):
            found = self.drafts.get((origin.place, origin.path[:size]))
            if found is not None:
                return found
        return None

    def where(self, origin: Origin, above: Draft | None) -> tuple[PlaceIn, str]:
        """The place and the path a client sends for data known only to the flow engine."""
        place: PlaceIn = above.laid.place if above is not None else origin.place
        base, steps = "", origin.path
        if above is not None and above.laid.path != WHOLE:
            base, steps = above.laid.path, origin.path[len(above.laid.origin.path) :]
        elif above is not None:
            steps = origin.path[len(above.laid.origin.path) :]
        for step in steps:
            base += step if step in ("[]", "{}") else f".{step}" if base else step
        return place, base

    def raw(self, origin: Origin, place: Place) -> Draft | None:
        """The draft of data read by hand, made when it is first met; None for data that a binder knows."""
        key = (origin.place, origin.path)
        if key in self.drafts:
            return self.drafts[key]
        above = self.nearest(origin)
        if above is not None and not above.raw and not _is_open(above.laid.shape):
            return self.of_map(above, origin)
        if above is None and any(known.covers(origin) or origin.covers(known) for known in self.known):
            return None
        where, path = self.where(origin, above)
        if self.zeroes and (same := self.decoded_as(where, path)) is not None:
            return same
        nested = above is not None and above.laid.path != WHOLE
        laid = Laid(where, path or WHOLE, origin, Shape(), False, place, None, None, nested)
        self.drafts[key] = Draft(laid, raw=True, ran=None, read=place)
        return self.drafts[key]

    def decoded_as(self, place: PlaceIn, path: str) -> Draft | None:
        """The draft of the same name in the same place, which the code that decodes it knows by another name."""
        return next(
            (d for d in self.drafts.values() if (d.laid.place, d.laid.path) == (place, path) and not d.raw), None
        )

    def of_map(self, above: Draft, origin: Origin) -> Draft | None:
        """The draft of what is read by its name from a map whose values are all alike; None for anything else."""
        values, size = above.laid.shape.values, len(above.laid.origin.path) + 1
        if not self.zeroes or values is None or len(origin.path) != size or origin.path[-1] in ("[]", "{}"):
            return None
        where, path = self.where(origin, above)
        laid = Laid(where, path, origin, values, False, above.laid.declared, None, None, nested=True)
        self.drafts[(origin.place, origin.path)] = Draft(laid, raw=False, ran=above.ran)
        return self.drafts[(origin.place, origin.path)]

    def read(self, read: Read) -> None:
        draft = self.raw(read.origin, read.place)
        if draft is None or not draft.raw:
            return
        if read.type == "file":
            draft.type = "file"
        elif read.type is not None and read.result is not None:
            draft.type = read.type
            by = RunBy("conversion", read.place.file, read.place.line, read.place.text or "")
            why = None if read.result.effect == "rejects" else "the conversion's error is not turned into a 4xx"
            self.add(draft, Constraint("type", read.type, _STATUS[read.result.effect], None, read.place, by, why))

    def check(self, check: Check) -> None:
        """Lay a hand-written limit on its field."""
        draft = self.raw(check.origin, check.place)
        if draft is None or (check.asserted and not draft.raw):
            # What the code asserts of data that is bound, the binder or an earlier check has seen to.
            return
        kind, value = check.kind, check.value
        if check.sized:
            kind = _SIZES.get((kind, draft.type), kind)
        refuses = check.result.effect == "rejects"
        if kind == "type":
            if draft.type == "any" and isinstance(value, str) and refuses:
                draft.type = value  # type: ignore[assignment]
            elif draft.type == value:
                return
            elif self.zeroes and draft.laid.place == "path" and refuses:
                # The router hands it over as text.
                draft.type = value  # type: ignore[assignment]
        if kind in ("notNull", "notEmpty") and draft.by_hand:
            kind = "required"
            draft.demanded = draft.demanded or refuses
        elif kind in ("notNull", "notEmpty") and refuses:
            default = draft.laid.default
            draft.demanded = draft.demanded or default is None or not default.value
        if (
            refuses
            and (draft.by_hand or self.zeroes)
            and not check.lenient
            and self.refuses_nothing(check, kind, value)
        ):
            # Nothing at all is none of these either.
            draft.demanded = True
        if refuses and draft.by_hand and draft.type == "any" and kind in ("enum", "const"):
            draft.type = _type_of(value)
        if refuses and self.zeroes and draft.type == "any" and kind in ("format", "pattern"):
            draft.type = "string"
        draft.not_null = draft.not_null or (self.zeroes and draft.demanded)
        place = check.place
        what = "falsy test by hand, which also refuses " + self.falsy if check.falsy and self.falsy else "check by hand"
        by = RunBy(what, place.file, place.line, place.text or "")
        self.add(
            draft, Constraint(kind, value, _STATUS[check.result.effect], check.message, place, by, _why(check.result))
        )
        if refuses and kind in _BOUNDS and draft.raw and draft.type == "any" and not check.sized:
            draft.type = "number"

    def refuses_nothing(self, check: Check, kind: ConstraintKind, value: object) -> bool:
        """True for a limit that a value left out does not meet either."""
        if self.zeroes:
            # What is left out is the zero value of its type.
            return kind == "type" or refuses_zero(kind, value)
        if kind == "pattern" and self.missing_as is not None and isinstance(value, str):
            try:
                return re.search(value, self.missing_as) is None
            except re.error:
                return False
        return kind in ("type", "enum", "const") or (check.demands and self.missing_as is not None)

    def add(self, draft: Draft, found: Constraint) -> None:
        if all((c.kind, c.value, c.declared) != (found.kind, found.value, found.declared) for c in draft.constraints):
            draft.constraints.append(found)

    def escaped(self, escape: Escape) -> None:
        for draft in self.drafts.values():
            if draft.raw and escape.origin.covers(draft.laid.origin) and draft.escape is None:
                draft.escape = escape

    def note_escapes(self) -> None:
        """List the places where fields went out of sight, the fields of each together."""
        names: dict[Escape, list[str]] = {}
        for draft in self.drafts.values():
            if draft.escape is not None:
                names.setdefault(draft.escape, []).append(draft.laid.path)
        for escape, paths in names.items():
            more = f" and {len(paths) - MAX_NAMED} more" if len(paths) > MAX_NAMED else ""
            self.service.note_place(
                escape.place, f"{escape.what}: {', '.join(paths[:MAX_NAMED])}{more} may be checked there"
            )

    def drop_whole_bodies(self) -> None:
        """A body whose fields are all known by name is not listed as a whole too, unless it goes on as a whole."""
        whole = {s.origin for s in self.report.sinks if s.whole} | {e.origin for e in self.report.escapes}
        for key, draft in list(self.drafts.items()):
            inner = [d for d in self.drafts.values() if d is not draft and draft.laid.origin.covers(d.laid.origin)]
            if not (draft.raw and inner):
                continue
            if draft.laid.path == WHOLE and draft.laid.origin not in whole:
                del self.drafts[key]

    def drop_what_is_no_input(self) -> None:
        """Drop what is read by hand and is no input of this route: headers that every request carries for the protocol's
        own sake, credentials (they are looked up, not limited) unless they become part of something's text, the names of
        other routes' path parameters, and a body that shared code would read where the method has none."""
        texts = [s for s in self.report.sinks if s.what != "storage"]
        for key, draft in list(self.drafts.items()):
            laid = draft.laid
            if draft.raw and draft.read is not None and not any(meets(s, laid.origin, True) for s in texts):
                name = laid.path.lower()
                carried = name in _TRANSPORT or name.startswith(_TRANSPORT_STARTS) or _CREDENTIAL.search(name)
                strange = laid.place == "path" and f"{{{laid.path}" not in self.route.path
                bodiless = self.route.method in BODILESS and laid.place in ("body", "form") and not self.own(draft.read)
                if (laid.place in ("header", "cookie") and carried) or _KEY.search(name) or strange or bodiless:
                    del self.drafts[key]

    def own(self, place: Place) -> bool:
        """True for a place inside the handler itself."""
        handler = self.route.handler
        start = handler.span.start
        last = handler.line + self.route.scope.module.source.count(b"\n", start, handler.span.end)
        return place.file == self.route.scope.module.path and handler.line <= place.line <= last


_TRANSPORT = frozenset({"accept", "host", "authorization", "user-agent", "referer", "origin", "cookie", "range", "connection",
                        "te", "expect", "forwarded", "via", "date", "upgrade", "proxy-authorization", "*"})  # fmt: skip
_CREDENTIAL = re.compile(r"auth|token|api-?_?key|session|signature|csrf|xsrf|jwt|secret|credential|^sid$")
_KEY = re.compile(r"^(?:x-)?api[-_]?key$|^authorization$|csrf|xsrf")
BODILESS = frozenset({"GET", "HEAD", "OPTIONS", "DELETE"})
_TRANSPORT_STARTS = ("accept-", "content-", "if-", "x-forwarded-", "sec-", "x-real-", "access-control-", "cache-")


def shape_of(service: Service, run: ModelRun) -> Shape | None:
    """What the rules of a model that is run by hand allow; None where that cannot be told."""
    mine = (v for v in vocabularies() if v.language == service.language)
    view = (run.view,) if run.view else ()
    found = next((s for v in mine if (s := v.shape(service.reader, run.type, run.scope, *view)).known), None)
    if found is None or not run.member:
        return found
    return next((f.shape for f in found.fields if f.name == run.member), None)


def _type_of(value: object) -> FieldType:
    """The type that all the values listed have."""
    kinds = {type(v) for v in (value if isinstance(value, list) else [value])}
    return (
        "string"
        if kinds == {str}
        else "boolean"
        if kinds == {bool}
        else "number"
        if kinds and kinds <= {int, float}
        else "any"
    )


def _why(result: Result) -> str | None:
    line = f" (line {result.place.line})" if result.place is not None else ""
    return {
        "breaks": f"what it refuses ends as a 5xx{line}",
        "swallowed": f"its outcome is not acted on{line}",
        "carries-on": f"an error answer is made and the handler carries on{line}",
        "too-late": f"the data was stored before{line}",
        "unknown": "what its refusal ends as could not be followed",
    }.get(result.effect)


def _is_free(shape: Shape) -> bool:
    """A map with anything in it: the shape is an object's and nobody looks inside."""
    return shape.type == "object" and not shape.fields and (shape.values is None or _is_anything(shape.values))


def _is_open(shape: Shape) -> bool:
    return _is_anything(shape) or _is_free(shape)


def _is_anything(shape: Shape) -> bool:
    return shape.type == "any" and shape.known and not shape.rules and not shape.fields


_ORDER = {p: i for i, p in enumerate(("path", "query", "header", "cookie", "body", "form", "settings"))}


def assemble(framework: Framework, service: Service, routes: Iterable[Route], words: Words) -> list[RouteEvidence]:
    """Return every route put together; one that cannot be followed to its end is said, and the others go on."""
    found: list[RouteEvidence] = []
    seen: set[str] = set()
    engine = Engine(service.program, words)
    for route in routes:
        key = f"{route.method} {route.path}"
        if key in seen:
            said = f"{key} is served by an earlier route: this one is never reached"
            if route.only:
                said = f"{key} has another handler, for requests with {route.only}: it is not listed"
            service.note(route.handler, route.scope, said)
            continue
        seen.add(key)
        try:
            found.append(Assembly(framework, service, route, engine).build())
        except RecursionError:
            service.note(route.handler, route.scope, f"{key}: too deeply nested to follow")
        except Exception as error:
            # A fault of Mappu's own on one route must not cost the others; it is listed for what it is.
            service.note(route.handler, route.scope, f"{key}: not followed, Mappu failed on it with {error!r}")
    return found
