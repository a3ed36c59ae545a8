"""Settings classes: what the environment may hold, and whether that is checked when the service starts."""

import re
from collections.abc import Iterable, Iterator

from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.fastapi import framework as fastapi
from mappu.frameworks.fastapi.remedies import REMEDIES
from mappu.inventory.model import Place, RunBy
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own
from mappu.vocabularies.pydantic import models
from mappu.vocabularies.pydantic import vocabulary as pydantic

_AT_START = re.compile(r"main|lifespan|startup|start_up|on_start|create_app|get_app|make_app|build_app|init", re.I)
_KEEPING = frozenset({"lru_cache", "cache", "cached", "alru_cache"})
MAX_DEPTH = 4


class PydanticSettings:
    """Settings classes as a surface of their own."""

    name = "pydantic-settings"
    language = "python"
    tokens = (b"BaseSettings",)
    remedies = REMEDIES

    def routes(self, service: Service) -> Iterable[Route]:
        for scope in service.scopes:
            for binding in (b for found in scope.names.values() for b in found):
                if not isinstance(binding, n.Class):
                    continue
                target = Target(service.program.full_name(scope, binding.name), binding, scope)
                if service.program.derives(target, models.SETTINGS) is None or _is_base(service, target):
                    continue
                path = f"{scope.module.path}#{binding.name}"
                yield Route(self.name, "settings", "SETTINGS", path, binding, scope, binding.name)

    def takes(self, service: Service, route: Route) -> Taking:
        assert isinstance(route.handler, n.Class)
        target = Target(route.symbol, route.handler, route.scope)
        shape = models.of_class(pydantic.context(service.reader), target)
        place = Place(route.scope.module.path, route.handler.line, f"class {route.handler.name}")
        shape = shape.with_(needs=(*shape.needs, ("pydantic-settings", place)))
        taken = Taken("settings", "", shape, True, place, Origin("settings"))
        return Taking((taken,), ())

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        made, late = instances(service, route)
        if made is not None:
            return Ran(RunBy("made at start", made.file, made.line, made.text or ""))
        if late is not None:
            why = f"the settings are first made when a request needs them (line {late.line}): a bad value is then a 5xx"
            return Ran(RunBy("made at first use", late.file, late.line, late.text or ""), "breaks", why)
        service.note(route.handler, route.scope, f"where a {route.symbol} is made could not be followed")
        return Ran(None, "unknown", f"nothing that was followed makes a {route.symbol}")

    def words(self, service: Service) -> Words:
        return fastapi.words(service)


def instances(service: Service, route: Route) -> tuple[Place | None, Place | None]:
    """Return where the settings class is made at start, and where it is first made later on."""
    late: Place | None = None
    for top in service.mentioning(route.symbol):
        for call, scope in _calls(service, top, route.symbol):
            if not isinstance(call.func, n.Name | n.Member):
                continue
            target = service.program.resolve(call.func, scope)
            if target is None or target.node is not route.handler:
                continue
            place = service.place(call, scope)
            if _at_start(service, scope, 0):
                return place, None
            if _on_demand(service, scope):
                late = late or place
    return None, late


def _on_demand(service: Service, scope: Scope) -> bool:
    """True for a function that keeps what it made for later calls, or that routes depend on: it waits for a request."""
    function = scope.owner
    if not isinstance(function, n.Function):
        return False
    if any((dotted(m.name) or "").rpartition(".")[2] in _KEEPING for m in function.marks):
        return True
    used = re.compile(rf"Depends\(\s*(?:\w+\.)*{function.name}\b".encode())
    return any(used.search(top.module.source) for top in service.mentioning(function.name))


def _at_start(service: Service, scope: Scope, depth: int) -> bool:
    """True where code in this scope runs when the service starts."""
    function = scope.owner
    if not isinstance(function, n.Function):
        return True
    if _AT_START.search(function.name) or depth > MAX_DEPTH:
        return depth <= MAX_DEPTH
    return any(
        _at_start(service, holder, depth + 1)
        for top in service.mentioning(function.name)
        for call, holder in _calls(service, top, function.name)
        if (dotted(call.func) or "").rpartition(".")[2] == function.name
        and (target := service.program.resolve(call.func, holder)) is not None
        and target.node is function
    )


def _calls(service: Service, top: Scope, name: str) -> Iterator[tuple[n.Call, Scope]]:
    """Every call of a file with the scope it stands in, of the functions that hold the name."""
    yield from ((c, top) for c in own(*top.module.body) if isinstance(c, n.Call))
    for function, holder in service.program.functions(top, (name.encode(),)):
        yield from (
            (c, service.program.scope_of(function, holder)) for c in own(*function.body) if isinstance(c, n.Call)
        )


def _is_base(service: Service, target: Target) -> bool:
    """A class others of the service inherit from, without fields of its own, is no settings by itself."""
    assert isinstance(target.node, n.Class)
    return not any(isinstance(s, n.Variable) for s in target.node.body)


framework = PydanticSettings()
