"""Express: apps and routers, the functions on the way to a handler, and what answers errors."""

from collections.abc import Iterable, Iterator, Mapping

from mappu.flow.values import Origin
from mappu.flow.words import Entry, Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Link, Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_links import link_of
from mappu.frameworks.base_paths import braces, major, path_parameters, uses
from mappu.frameworks.base_routers import RouterFramework, Routers
from mappu.frameworks.base_sites import METHODS, Event, Reach, RouterWords, answers_errors, covers, joined, stub
from mappu.frameworks.express import middleware
from mappu.frameworks.express.remedies import REMEDIES
from mappu.inventory.model import PlaceIn

_WORDS = RouterWords(
    apps=frozenset({"express"}),
    routers=frozenset({"express.Router", "express-promise-router", "router"}),
    types=frozenset({"express.Router", "express.IRouter", "express.Application", "express.Express", "express.Express.Application",
                     "express.core.Express", "express-serve-static-core.Express", "express.IRoute"}),
    mounts=frozenset({"use"}),
)  # fmt: skip

_READS: dict[str, PlaceIn] = {
    "body": "body", "query": "query", "params": "path", "headers": "header", "cookies": "cookie", "signedCookies": "cookie",
    "files": "form", "file": "form",
}  # fmt: skip
_REPLIES = {
    "status": Reply(status=0), "sendStatus": Reply(status=0, sends=True), "writeHead": Reply(status=0), "json": Reply(sends=True),
    "send": Reply(sends=True), "end": Reply(sends=True), "render": Reply(sends=True), "jsonp": Reply(sends=True),
    "sendFile": Reply(sends=True), "download": Reply(sends=True), "redirect": Reply(always=302, sends=True),
    "statusCode=": Reply(status=0),
}  # fmt: skip


NO_PARSER = (
    "nothing in front of this route parses a body: `req.body` is undefined there, and asking it for anything throws"
)

# Frameworks whose routers look alike: what is theirs is not read as Express.
_OTHERS = ("koa", "hono", "fastify", "@koa/router", "koa-router")


class Express(RouterFramework):
    """The framework."""

    name = "express"
    tokens = (b"express", b"Router(", b"outer.get(", b"outer.post(", b"outer.put(", b"outer.patch(", b"outer.delete(",
              b"outer.use(", b"app.get(", b"app.post(", b"app.put(", b"app.patch(", b"app.delete(", b"app.use(")  # fmt: skip
    remedies = REMEDIES
    router_words = _WORDS

    # --- routes -------------------------------------------------------------------------------------------------------

    def routes(self, service: Service) -> Iterable[Route]:
        if not uses(service, "express") and uses(service, *_OTHERS):
            return
        routers = self.routers(service)
        any_app = any(s.is_app for s in routers.sites.values())
        for event in routers.events:
            if event.method not in METHODS and event.method != "all":
                continue
            reaches = routers.reaches(event.site)
            if not reaches:
                if any_app and not routers.lost_mounts and not event.site.is_param:
                    service.note(event.site.node, event.site.scope, "no app uses this router in the scanned source")
                    continue
                what = "no app uses it" if any_app else "no app is"
                service.note(
                    event.site.node, event.site.scope, f"this router's prefix may be incomplete: {what} in the source"
                )
                reaches = [Reach(event.site.prefix)]
            yield from self._routes(service, routers, event, reaches)

    def _routes(self, service: Service, routers: Routers, event: Event, reaches: list[Reach]) -> Iterator[Route]:
        links = [x for x in routers.links(event) if not answers_errors(x)]
        if not links or (event.method == "all" and self._only_guards(routers, event)):
            return
        method = METHODS.get(event.method, "ALL")
        last = links[-1]
        if last.function is None or last.holder is None:
            service.note(event.call, event.scope, "the handler here could not be followed")
            last = stub(service.program, last)
        assert last.function is not None
        assert last.holder is not None
        for reach in reaches:
            path = joined(reach.prefix, event.path) or "/"
            before = [
                u for u in (*reach.uses, *routers.uses_before(event.site, reach.prefix, event)) if covers(u.path, path)
            ]
            guards = [x for u in before for x in u.links]
            shown, rules = braces(path)
            # What stands in front of an app that is used elsewhere cannot be told.
            unknown = () if reach.whole else (Link(event.call, event.scope),)
            way = (*unknown, *guards, *self._parameter_guards(routers, event, rules), *links)
            symbol = last.function.name or service.place(last.expr, last.scope).text or ""
            symbol = symbol if len(symbol) < 40 and "=>" not in symbol else "anonymous"
            yield Route(self.name, "http", method, shown, last.function, last.holder, symbol, links=way,
                        path_rules={k: v for k, v in rules.items() if v})  # fmt: skip

    def _only_guards(self, routers: Routers, event: Event) -> bool:
        """True for `.all(path, guard)` with verbs of the same path behind it."""
        same = [e for e in routers.events if e.site is event.site and e.path == event.path and e.method in METHODS]
        return bool(same)

    def _parameter_guards(self, routers: Routers, event: Event, rules: Mapping[str, str]) -> list[Link]:
        """`router.param(name, guard)`: called for every route of the router that has the parameter."""
        found = []
        for each in routers.events:
            if each.method == "param" and each.site is event.site and each.args:
                name = routers.program.text(*each.args[0])
                if name in rules:
                    link = link_of(routers.program, *each.args[-1])
                    found.append(Link(link.expr, link.scope, link.function, link.holder, link.made_by, parameter=name))
        return found

    # --- what they take and what runs ---------------------------------------------------------------------------------

    def takes(self, service: Service, route: Route) -> Taking:
        taken = [*path_parameters(service, route)]
        entries = []
        for link in route.links:
            if link.function is not None and link.holder is not None:
                entries.append(self._entry(service, link))
                taken.extend(base_node.by_type(service, link.function, link.holder))
            taken.extend(middleware.taken(service, link))
        no_body = None if middleware.may_parse(route.links) else NO_PARSER
        return Taking(tuple(taken), tuple(entries), no_body)

    def _entry(self, service: Service, link: Link) -> Entry:
        function, holder = link.function, link.holder
        assert function is not None
        assert holder is not None
        names = [p.name for p in function.params]
        if len(names) >= 4 and link.parameter is None:
            names = names[1:]
        roles: list[frozenset[str]] = [frozenset({x}) for x in names[:3]] + [frozenset()] * 3
        data = {}
        if link.parameter is not None and len(names) > 3:
            data[names[3]] = Origin("path", (link.parameter,))
        loses = function.is_async and not link.wrapped and _loses_errors(service)
        return Entry(function, holder, data, {}, roles[0], {}, replies=roles[1], nexts=roles[2], loses=loses,
                     made_by=link.made_by)  # fmt: skip

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        return middleware.runs(taken)

    def words(self, service: Service) -> Words:
        routers = self.routers(service)
        default = base_node.Answer((), None)
        return base_node.words(
            service, base_node.ErrorAnswers(service.program, _error_handlers(routers), default), {},
            request={**_READS}, files=frozenset({"file", "files"}),
            getters={"get": "header", "header": "header"}, replies=_REPLIES,
            empty_body=None if major(service, "express", 5) < 5 else "undefined",
        )  # fmt: skip


def _error_handlers(routers: Routers) -> Iterator[tuple]:  # type: ignore[type-arg]
    for event in routers.events:
        if event.method == "use":
            for link in routers.links(event):
                if link.function is not None and link.holder is not None and len(link.function.params) == 4:
                    yield link.function, link.holder


def _loses_errors(service: Service) -> bool:
    """True where nobody answers what an async handler throws: version 4, without the package that mends it."""
    if service.root.package("express-async-errors") is not None:
        return False
    return major(service, "express", 5) < 5


framework = Express()
