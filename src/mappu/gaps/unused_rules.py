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

_NAME = re.compile(rb"\b[A-Z]\w*")
_CLASS = re.compile(rb"^class\s+([A-Z]\w*)\s*\(", re.M)


def find(scan: Scan) -> Iterator[Gap]:
    for service in scan.services:
        if any(r.service is service and r.endpoint.surface == "http" for r in scan.routes):
            yield from _unused(service)


def _unused(service: Service) -> Iterator[Gap]:
    tokens = [t for v in vocabularies() for t in v.tokens]
    counts: Counter[bytes] = Counter()
    declared: dict[bytes, str] = {}
    for path, data in service.sources():
        counts.update(_NAME.findall(data))
        if any(t in data for t in tokens):
            declared |= dict.fromkeys(_CLASS.findall(data), path)
    # Only a class that is named where it is declared and nowhere else is looked at more closely.
    for name, path in declared.items():
        scope = service.program.module_scope(path) if counts[name] == 1 else None
        stmt = scope.names.get(name.decode(), [None])[0] if scope is not None else None
        if scope is not None and isinstance(stmt, n.Class) and _has_rules(service, stmt, scope):
            place = Place(scope.module.path, stmt.line, f"class {stmt.name}")
            why = f"{stmt.name} declares rules, and nothing in the service mentions it"
            yield gap(kind, None, place, why, "bind it where it was meant to be used, or remove it")


def _has_rules(service: Service, stmt: n.Class, scope: Scope) -> bool:
    """True for a model with a limit beyond what its types say by themselves; a storage class is no request's model."""
    target = Target(service.program.full_name(scope, stmt.name), stmt, scope)
    if not any(v.is_model(service.reader, target) for v in vocabularies()):
        return False
    name = n.Name(stmt.span, stmt.name)
    shapes = [s for v in vocabularies() if not (s := v.shape(service.reader, name, scope)).entity]
    return any(r.kind not in ("format", "enum", "const") for s in shapes for f in s.fields for r in f.shape.rules)
