"""Client data that reaches the handler's code with nothing on it."""

import re
from collections.abc import Iterator

from mappu.flow.values import Sink
from mappu.gaps.base import gap, gap_on, listed, remedy
from mappu.inventory.model import Gap, Place, Severity
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan
from mappu.syntax import nodes as n

kind = "bare-input"

_WHERE = {"query": "query parameter", "header": "header", "cookie": "cookie", "path": "path parameter",
          "form": "form field", "body": "body field", "settings": "setting"}  # fmt: skip


# What a text becomes part of that is then read for more than text.
_READ_AS_CODE = frozenset({"query text", "command"})


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        if route.endpoint.surface == "settings":
            # They come from whoever runs the service.
            continue
        bare = [f for f in route.fields if f.field.standing == "bare" and not f.nested]
        bodies = [f for f in bare if f.raw and f.field.place in ("body", "form")]
        guarded = any(f.raw and f.field.standing != "bare" and f.field.place in ("body", "form") for f in route.fields)
        if any(
            not f.raw and f.field.place in ("body", "form") and f.field.standing not in ("bare", "idle")
            for f in route.fields
        ):
            # Part of it is checked; that the rest goes on unchecked is another kind of gap.
            bodies = [f for f in bodies if f.field.path != "*"]
            bare = [f for f in bare if not (f.raw and f.field.path == "*")]
        whole = len(bodies) > 1 and not guarded
        if whole or any(f.field.path == "*" for f in bodies):
            yield _body(route, bodies)
            bare = [f for f in bare if f not in bodies]
            bodies = []
        for those in _together(bodies):
            # One type names them all, and nothing looks at any: one thing to mend.
            yield _body(route, those)
            bare = [f for f in bare if f not in those]
        for found in bare:
            if found.field.place in ("header", "cookie") and not found.sinks:
                # Read for a log, a language, a session: nothing there that a limit would protect.
                continue
            if not found.raw and not _used(route, found):
                continue
            if (
                found.raw
                and found.field.place in ("query", "header", "cookie")
                and not found.sinks
                and _shared(route, found)
            ):
                # Looked at by code that runs for many routes: none of this one's.
                continue
            if found.raw and found.field.place != "body" and not found.sinks and _only_compared(route, found):
                continue
            if found.field.place == "path" and found.field.type == "string" and not found.sinks:
                # Always there, always text, and only looked up by.
                continue
            yield _single(route, found)
        for found in route.fields:
            if found not in bare and _only_text(found):
                yield _single(route, found)


def _only_text(found: FieldEvidence) -> bool:
    """True for a text that has only to be one, and becomes part of something that reads it."""
    plain = found.field.standing == "shape-only" and found.field.type == "string" and not found.shape.closed
    return plain and not found.raw and any(s.what in _READ_AS_CODE for s in found.sinks)


def _together(bodies: list[FieldEvidence]) -> list[list[FieldEvidence]]:
    """Fields that are taken at one place, where there are several."""
    by_place: dict[Place | None, list[FieldEvidence]] = {}
    for found in bodies:
        by_place.setdefault(found.read, []).append(found)
    return [those for those in by_place.values() if len(those) > 1]


def _only_compared(route: RouteEvidence, found: FieldEvidence) -> bool:
    """True for what is only ever held against a constant where it is read: it goes nowhere."""
    reads = [r.place for r in route.report.reads if r.origin == found.origin]
    return bool(reads) and all(place in route.report.compared for place in reads)


def _shared(route: RouteEvidence, found: FieldEvidence) -> bool:
    """True for what is read by a function on the way to the handler."""
    return found.read is not None and any(
        link.function is not route.route.handler
        and link.holder is not None
        and link.function is not None
        and link.holder.module.path == found.read.file
        and link.function.line <= found.read.line <= _last_line(link.function, link.holder.module.source)
        for link in route.route.links
    )


def _last_line(function: n.Function, source: bytes) -> int:
    return function.line + source.count(b"\n", function.span.start, function.span.end)


def _used(route: RouteEvidence, found: FieldEvidence) -> bool:
    """False for a parameter that the handler never looks at."""
    handler, source = route.route.handler, route.route.scope.module.source
    name = next((k for e in route.taking.entries for k, o in e.data.items() if o == found.origin), None)
    return name is None or len(re.findall(rf"\b{name}\b".encode(), source[handler.span.start : handler.span.end])) > 1


def _sinks(found: list[FieldEvidence]) -> list[Sink]:
    return sorted({s for f in found for s in f.sinks}, key=lambda s: (s.place.file, s.place.line))


def _reaches(sinks: list[Sink], where: Place) -> str:
    sink = sinks[0]
    call = {"storage": "storage call", "query text": "text of the query"}.get(sink.what, sink.what)
    file = "" if sink.place.file == where.file else f" of {sink.place.file}"
    return f"no check stands between it and the {call} on line {sink.place.line}{file}"


def _body(route: RouteEvidence, bodies: list[FieldEvidence]) -> Gap:
    whole = next((f for f in bodies if f.field.path == "*"), bodies[0])
    where = whole.read or whole.field.declared or bodies[0].read
    assert where is not None
    keys = [f.field.path for f in bodies if f.field.path != "*"]
    sinks = _sinks(bodies)
    what = "form" if whole.field.place == "form" else "JSON body"
    names = f", {listed(keys)} of it used," if keys else ""
    if whole.shape.type == "object":
        taken = f"the body is taken as a free-form map ({where.text})"
    elif all(f.field.path != "*" for f in bodies) and any(f not in bodies for f in route.fields if f.raw):
        taken, names = f"{listed(keys)} of the {what} are read by hand", ""
    else:
        taken = f"the whole {what} is read"
    why = f"{taken}{names} and {_reaches(sinks, where) if sinks else 'nothing checks what is in it'}"
    fix = remedy(route, "bind-body")
    severity: Severity = "high" if sinks else "medium"
    field = "*" if len(bodies) > 1 or whole.field.path == "*" else whole.field.path
    return gap(kind, route, where, why, fix, field=field, place=whole.field.place, severity=severity)


def _single(route: RouteEvidence, found: FieldEvidence) -> Gap:
    field = found.field
    where = found.read or field.declared
    assert where is not None
    label = _WHERE[field.place]
    sinks = _sinks([found])
    how = "is read by hand" if found.raw else "has no type that anything checks"
    if _only_text(found):
        how = "may be any text"
        sinks = [s for s in sinks if s.what in _READ_AS_CODE]
    whole = field.path == "*"
    nothing = "nothing checks what is in them" if whole else "nothing checks its type or its value"
    end = _reaches(sinks, where) if sinks else nothing
    name = field.path.replace("-", "_").replace(".", "_")
    what = f"all {label}s are read by hand" if whole else f"the {label} `{field.path}` {how}"
    fix = remedy(route, f"bind-{field.place}", name=name)
    return gap_on(kind, route, found, where, f"{what}, and {end}", fix,
                  "high" if sinks else "medium")  # fmt: skip
