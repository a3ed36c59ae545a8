"""Models with rules that nothing in the service mentions."""

import re
from collections.abc import Iterator

from mappu.frameworks.base import Service
from mappu.gaps.base import gap
from mappu.inventory.model import Gap, Place
from mappu.pipeline.evidence import Scan
from mappu.sources.walk import SourceFile
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.vocabularies import vocabularies

kind = "unused-rules"

# Looking for names reads every file of the service again; a tree larger than this is no single service.
MAX_BYTES = 30_000_000


def find(scan: Scan) -> Iterator[Gap]:
    for service in scan.services:
        if any(r.service is service and r.endpoint.surface == "http" for r in scan.routes):
            yield from _unused(service)


def _unused(service: Service) -> Iterator[Gap]:
    candidates = dict(_with_rules(service))
    prefix = "" if service.root.path == "." else service.root.path + "/"
    files = [f for p, f in service.program.files.items() if p.startswith(prefix) and isinstance(f, SourceFile)]
    if not candidates or sum(f.size for f in files) > MAX_BYTES:
        return
    counts = dict.fromkeys(candidates, 0)
    word = re.compile(rb"[A-Za-z_]\w*")
    for file in files:
        try:
            words = word.findall(file.read())
        except OSError:
            continue
        for found in words:
            name = found.decode()
            if name in counts:
                counts[name] += 1
    for name, place in candidates.items():
        if counts[name] == 1:
            why = f"{name} declares rules, and nothing in the service mentions it"
            yield gap(kind, None, place, why, "bind it where it was meant to be used, or remove it")


def _with_rules(service: Service) -> Iterator[tuple[str, Place]]:
    for scope in service.scopes:
        for stmt in scope.module.body:
            if not isinstance(stmt, n.Class):
                continue
            target = Target(service.program.full_name(scope, stmt.name), stmt, scope)
            for vocabulary in vocabularies():
                if vocabulary.is_model(service.reader, target):
                    shape = vocabulary.shape(service.reader, n.Name(stmt.span, stmt.name), scope)
                    if any(r.kind not in ("format", "enum", "const") for f in shape.fields for r in f.shape.rules):
                        yield stmt.name, Place(scope.module.path, stmt.line, f"class {stmt.name}")
