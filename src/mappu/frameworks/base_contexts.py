"""Frameworks whose functions are given one context for request and response: what Koa and Hono share."""

from collections.abc import Iterable, Iterator

from mappu.flow.words import Entry
from mappu.frameworks.base import Link, Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_paths import braces, path_parameters, uses
from mappu.frameworks.base_routers import RouterFramework, Routers
from mappu.frameworks.base_sites import METHODS, Event, Reach, covers, joined, stub
from mappu.inventory.model import RunBy


class ContextFramework(RouterFramework):
    """A framework of this kind; its module says the names."""

    name: str
    packages: tuple[str, ...]

    def routes(self, service: Service) -> Iterable[Route]:
        if not uses(service, *self.packages):
            return
        routers = self.routers(service)
        any_app = any(s.is_app for s in routers.sites.values())
        for event in routers.events:
            if event.method not in METHODS and event.method != "all":
                continue
            reaches = routers.reaches(event.site)
            if not reaches:
                what = "no app uses it" if any_app else "no app is"
                service.note(
                    event.site.node, event.site.scope, f"this router's prefix may be incomplete: {what} in the source"
                )
                reaches = [Reach(event.site.prefix)]
            yield from self._routes(service, routers, event, reaches)

    def _routes(self, service: Service, routers: Routers, event: Event, reaches: list[Reach]) -> Iterator[Route]:
        links = routers.links(event)
        if not links:
            return
        last = links[-1]
        if last.function is None:
            service.note(event.call, event.scope, "the handler here could not be followed")
            last = stub(service.program, last)
        assert last.function is not None
        assert last.holder is not None
        for reach in reaches:
            path = joined(reach.prefix, event.path) or "/"
            uses = (*reach.uses, *routers.uses_before(event.site, reach.prefix, event))
            guards = [x for u in uses if covers(u.path, path) for x in u.links]
            shown, rules = braces(path)
            symbol = last.function.name or "anonymous"
            yield Route(self.name, "http", METHODS.get(event.method, "ALL"), shown, last.function, last.holder, symbol,
                        links=(*guards, *links), path_rules={k: v for k, v in rules.items() if v})  # fmt: skip

    def takes(self, service: Service, route: Route) -> Taking:
        taken = [*path_parameters(service, route)]
        entries = []
        for link in route.links:
            taken.extend(self.checked(service, link))
            if link.function is not None and link.holder is not None:
                names = [p.name for p in link.function.params]
                roles = [frozenset({x}) for x in names[:2]] + [frozenset[str]()] * 2
                entries.append(
                    Entry(link.function, link.holder, {}, {}, frozenset(), {}, replies=roles[0], nexts=roles[1],
                          made_by=link.made_by)
                )  # fmt: skip
        return Taking(tuple(taken), tuple(entries))

    def checked(self, service: Service, link: Link) -> Iterator[Taken]:
        """What a function of a well-known package on the way checks."""
        yield from ()

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        declared = taken.declared
        if taken.place == "path" and taken.wire and not taken.shape.rules:
            return Ran(None)
        what = "router" if taken.place == "path" and taken.wire else "middleware"
        return Ran(RunBy(what, declared.file, declared.line, declared.text or ""))
