"""FastAPI: routes by decorator and by call, its binder, its dependencies, and settings classes beside it."""

import weakref
from collections.abc import Iterable, Iterator

from mappu.flow.words import Words
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.fastapi import parameters, words
from mappu.frameworks.fastapi.remedies import REMEDIES
from mappu.frameworks.fastapi.signatures import Signatures
from mappu.frameworks.fastapi.sites import ADDING, METHODS, SOCKETS, TOKENS, VERBS, Reach, Site, Sites, Use
from mappu.inventory.model import RunBy
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n


class FastAPI:
    """The framework."""

    name = "fastapi"
    language = "python"
    tokens = TOKENS
    remedies = REMEDIES

    def __init__(self) -> None:
        self._sites: weakref.WeakKeyDictionary[Service, Sites] = weakref.WeakKeyDictionary()
        self._signatures: weakref.WeakKeyDictionary[Service, Signatures] = weakref.WeakKeyDictionary()

    def sites(self, service: Service) -> Sites:
        if service not in self._sites:
            self._sites[service] = Sites(service)
        return self._sites[service]

    # --- routes -------------------------------------------------------------------------------------------------------

    def routes(self, service: Service) -> Iterable[Route]:
        sites = self.sites(service)
        reaches = {site: sites.reaches(site) for site in sites.all}
        any_app = any(site.is_app for site in sites.all)
        lost: set[Site] = set()
        for use in sites.uses:
            found = reaches[use.site]
            if not found and (not any_app or sites.lost_includes):
                found = [sites.loose(use.site)]
                lost.add(use.site)
            elif not found:
                lost.add(use.site)
            yield from self._routes(service, use, found)
        for site in sites.all:
            for reach in reaches[site]:
                yield from self._listed(service, site, reach)
        for site in sorted(lost, key=lambda s: (s.scope.module.path, s.call.line)):
            what = "no app includes it in the scanned source" if any_app else "no app is in the scanned source"
            service.note(site.call, site.scope, f"this router's prefix may be incomplete or unused: {what}")

    def _routes(self, service: Service, use: Use, reaches: list[Reach]) -> Iterator[Route]:
        sites = self.sites(service)
        assert isinstance(use.call.func, n.Member)
        method, call, scope = use.call.func.name, use.call, use.scope
        if method in SOCKETS:
            service.note(call, scope, "a websocket route: messages are not followed yet")
            return
        if method not in VERBS and method not in ADDING:
            return
        if use.function is not None:
            handler, holder = use.function
        else:
            target = service.program.resolve(call.argument(1, "endpoint"), scope)
            if target is None or not isinstance(target.node, n.Function) or target.scope is None:
                service.note(call, scope, "the handler added here could not be followed")
                return
            handler, holder = target.node, target.scope
        verbs = [method.upper()] if method in METHODS else self._verbs(service, call, scope)
        path_expr = call.argument(0, "path")
        if path_expr is None:
            return
        path = sites.text(path_expr, scope, use.env, call)
        own = sites.dependencies(call.keyword("dependencies"), scope)
        for reach in reaches:
            for verb in verbs:
                whole = reach.prefix + path
                yield Route(self.name, "http", verb, whole or "/", handler, holder, handler.name, (*reach.before, *own))

    def _verbs(self, service: Service, call: n.Call, scope: Scope) -> list[str]:
        given = call.keyword("methods")
        if given is None:
            return ["GET"]
        found = [service.program.text(e, s) for e, s in service.program.elements(given, scope)]
        if not found or None in found:
            service.note(call, scope, "the methods of this route could not be followed")
        return sorted({v.upper() for v in found if v is not None})

    def _listed(self, service: Service, site: Site, reach: Reach) -> Iterator[Route]:
        """Routes handed over as `routes=[APIRoute(path, function, methods=[…])]`."""
        given = site.call.keyword("routes")
        for item, holder in service.program.elements(given, site.scope) if given is not None else ():
            if not isinstance(item, n.Call):
                continue
            target = service.program.resolve(item.argument(1, "endpoint"), holder)
            path = service.program.text(item.argument(0, "path"), holder)
            if path is not None and target is not None and isinstance(target.node, n.Function) and target.scope:
                for verb in self._verbs(service, item, holder):
                    name = target.node.name
                    yield Route(
                        self.name, "http", verb, reach.prefix + path, target.node, target.scope, name, reach.before
                    )

    # --- what they take and what runs ---------------------------------------------------------------------------------

    def takes(self, service: Service, route: Route) -> Taking:
        if service not in self._signatures:
            self._signatures[service] = Signatures(service)
        return parameters.takes(service, route, self._signatures[service])

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        declared = taken.declared
        text = declared.text or ""
        if taken.shape.skipped is None:
            return Ran(RunBy("request binder", declared.file, declared.line, text))
        assert isinstance(route.handler, n.Function)
        for mark in route.handler.marks:
            name = service.program.name_of(mark.name, route.scope)
            if any(r.decorator == name for r in service.settings.runner):
                place = service.place(mark, route.scope)
                return Ran(RunBy(f"house runner {name}", place.file, place.line, place.text or ""))
        return Ran(None, "idle", taken.shape.skipped)

    def words(self, service: Service) -> Words:
        return words.words(service, self.sites(service))


framework = FastAPI()
