"""Models with rules that nothing in the service mentions."""

import re
from collections import Counter
from collections.abc import Iterator

from mappu.frameworks.base import Service
from mappu.gaps.base import gap
from mappu.inventory.model import Gap, Place
from mappu.pipeline.evidence import Scan
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies import vocabularies

kind = "unused-rules"

_WORD = re.compile(rb"\b[A-Za-z]\w*")


def find(scan: Scan) -> Iterator[Gap]:
    for service in scan.services:
        if any(r.service is service and r.endpoint.surface == "http" for r in scan.routes):
            handlers = {id(r.route.handler) for r in scan.routes if r.service is service}
            yield from _unused(service, handlers)


def _unused(service: Service, handlers: set[int]) -> Iterator[Gap]:
    mine = [v for v in vocabularies() if v.language == service.language]
    tokens = [t for v in mine for t in v.tokens]
    declares = service.program.models
    declared: dict[bytes, str] = {}
    for path, data in service.sources():
        if any(t in data for t in tokens):
            declared |= {m[m.lastindex or 1]: path for m in declares.finditer(data)}
    if not declared:
        return
    counts: Counter[bytes] = Counter()
    for _, data in service.sources():
        counts.update(n for n in _WORD.findall(data) if n in declared)
    # Only a class that is named where it is declared and nowhere else is looked at more closely.
    for name, path in declared.items():
        scope = service.program.module_scope(path) if counts[name] == 1 else None
        stmt = scope.names.get(name.decode(), [None])[0] if scope is not None else None
        if id(stmt) in handlers:
            # Settings are used by whoever binds them.
            continue
        if scope is not None and isinstance(stmt, n.Class | n.Variable) and _has_rules(service, stmt, scope):
            what = "class" if isinstance(stmt, n.Class) else "const"
            place = Place(scope.module.path, stmt.line, f"{what} {stmt.name}")
            why = f"{stmt.name} declares rules, and nothing in the service mentions it"
            yield gap(kind, None, place, why, "bind it where it was meant to be used, or remove it")


def _has_rules(service: Service, stmt: n.Class | n.Variable, scope: Scope) -> bool:
    """True for a model with a limit beyond what its types say by themselves; a storage class is no request's model."""
    target = Target(service.program.full_name(scope, stmt.name), stmt, scope)
    mine = [v for v in vocabularies() if v.language == service.language]
    if not any(v.is_model(service.reader, target) for v in mine):
        return False
    name = n.Name(stmt.span, stmt.name)
    shapes = [s for v in mine if not (s := v.shape(service.reader, name, scope)).entity]
    return any(r.kind not in ("format", "enum", "const") for s in shapes for f in s.fields for r in f.shape.rules)
