"""Models with rules that nothing in the service mentions."""

import re
from collections.abc import Iterator

from mappu.frameworks.base import Service
from mappu.gaps.base import gap
from mappu.inventory.model import Gap, Place
from mappu.pipeline.evidence import Scan
from mappu.sources.walk import SourceFile
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies import vocabularies

kind = "unused-rules"

# Looking for names reads every file of the service again; a tree larger than this is no single service.
MAX_BYTES = 30_000_000
_WORD = re.compile(rb"[A-Za-z_]\w*")


def find(scan: Scan) -> Iterator[Gap]:
    for service in scan.services:
        if any(r.service is service and r.endpoint.surface == "http" for r in scan.routes):
            yield from _unused(service)


def _unused(service: Service) -> Iterator[Gap]:
    candidates = {stmt.name: (stmt, scope) for stmt, scope in _models(service)}
    prefix = "" if service.root.path == "." else service.root.path + "/"
    files = [f for p, f in service.program.files.items() if p.startswith(prefix) and isinstance(f, SourceFile)]
    if not candidates or sum(f.size for f in files) > MAX_BYTES:
        return
    counts = dict.fromkeys(candidates, 0)
    for file in files:
        try:
            words = _WORD.findall(file.read())
        except OSError:
            continue
        for found in words:
            name = found.decode()
            if name in counts:
                counts[name] += 1
    for name, (stmt, scope) in candidates.items():
        if counts[name] == 1 and _has_rules(service, stmt, scope):
            place = Place(scope.module.path, stmt.line, f"class {name}")
            why = f"{name} declares rules, and nothing in the service mentions it"
            yield gap(kind, None, place, why, "bind it where it was meant to be used, or remove it")


def _models(service: Service) -> Iterator[tuple[n.Class, Scope]]:
    for scope in service.scopes:
        for stmt in scope.module.body:
            if isinstance(stmt, n.Class):
                target = Target(service.program.full_name(scope, stmt.name), stmt, scope)
                if any(v.is_model(service.reader, target) for v in vocabularies()):
                    yield stmt, scope


def _has_rules(service: Service, stmt: n.Class, scope: Scope) -> bool:
    """True for a model with a limit beyond what its types say by themselves."""
    name = n.Name(stmt.span, stmt.name)
    shapes = [v.shape(service.reader, name, scope) for v in vocabularies()]
    return any(r.kind not in ("format", "enum", "const") for s in shapes for f in s.fields for r in f.shape.rules)
