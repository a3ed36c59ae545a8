"""Fastify: routes with the schemas the framework itself runs, plugins with prefixes, hooks."""

from collections.abc import Iterable, Iterator

from mappu.flow.values import Origin
from mappu.flow.words import Entry, Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Link, Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_links import link_of
from mappu.frameworks.base_paths import braces, path_parameters, uses
from mappu.frameworks.base_routers import RouterFramework, Routers
from mappu.frameworks.base_sites import METHODS, Event, Reach, RouterWords, covers, joined, stub
from mappu.frameworks.express.remedies import REMEDIES as NODE
from mappu.inventory.model import PlaceIn, RunBy
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.vocabularies.shape import Shape

_WORDS = RouterWords(
    apps=frozenset({"fastify", "fastify.fastify", "fastify.Fastify"}),
    routers=frozenset(),
    types=frozenset({"fastify.FastifyInstance", "fastify.FastifyPluginAsync"}),
    mounts=frozenset(),
    same=frozenset({"withTypeProvider", "after", "ready", "setValidatorCompiler", "setSerializerCompiler"}),
    plugins=frozenset({"register"}),
    below=frozenset(),
)
_READS: dict[str, PlaceIn] = {
    "body": "body", "query": "query", "params": "path", "headers": "header", "cookies": "cookie", "file": "form", "files": "form",
}  # fmt: skip
_REPLIES = {
    "code": Reply(status=0), "status": Reply(status=0), "send": Reply(sends=True), "redirect": Reply(always=302, sends=True),
    "view": Reply(sends=True), "sendFile": Reply(sends=True), "badRequest": Reply(always=400, sends=True),
    "notFound": Reply(always=404, sends=True), "unauthorized": Reply(always=401, sends=True),
    "forbidden": Reply(always=403, sends=True), "conflict": Reply(always=409, sends=True),
    "unprocessableEntity": Reply(always=422, sends=True), "statusCode=": Reply(status=0),
}  # fmt: skip
_SCHEMA_PLACES: dict[str, PlaceIn] = {
    "body": "body", "querystring": "query", "query": "query", "params": "path", "headers": "header",
}  # fmt: skip
_HOOKS = frozenset({"onRequest", "preParsing", "preValidation", "preHandler"})

REMEDIES = {
    **NODE,
    "refuse": "leave there: `return reply.code(400).send(…)`",
    "act-on-it": "act on it: `return reply.code(400).send(…)` where the check fails",
    "map-error": "answer it with a 4xx: `return reply.code(400).send(…)`, or give the error a `statusCode`",
    "bind-body": "give the route a schema: `schema: { body: { type: 'object', properties: … } }`",
    "bind-query": "give the route a schema for its `querystring`: a type and limits for `{name}`",
    "bind-path": "give the route a schema for its `params`: a type and limits for `{name}`",
    "bind-header": "give the route a schema for its `headers`: a type and limits for `{name}`",
    "drop-unlisted": "say `additionalProperties: false` in the schema",
    "limit-string": "add one: `maxLength`",
    "limit-array": "add one: `maxItems`",
    "limit-number": "add one: `maximum`",
}


class Fastify(RouterFramework):
    """The framework."""

    name = "fastify"
    tokens = (b"fastify", b"Fastify")
    remedies = REMEDIES
    router_words = _WORDS

    def routes(self, service: Service) -> Iterable[Route]:
        if not uses(service, "fastify", "fastify-plugin"):
            return
        routers = self.routers(service)
        for event in routers.events:
            options = self._options(service, event)
            verbs = [METHODS[event.method]] if event.method in METHODS else ["ALL"] if event.method == "all" else []
            path = event.path
            if event.method == "route":
                verbs = self._verbs(service, options)
                url = options.get("url") or options.get("path")
                path = routers.path_text(*url, event.call, event.scope) if url is not None else ""
            if not verbs:
                continue
            reaches = routers.reaches(event.site)
            if not reaches:
                service.note(
                    event.site.node, event.site.scope, "this plugin's prefix may be incomplete: nothing registers it"
                )
                reaches = [Reach("")]
            handler = self._handler(service, routers, event, options)
            if handler is None or handler.function is None or handler.holder is None:
                service.note(event.call, event.scope, "the handler here could not be followed")
                handler = stub(service.program, handler or Link(event.call, event.scope))
            assert handler.function is not None
            assert handler.holder is not None
            hooks = list(self._hooks(service, routers, event, options))
            for reach in reaches:
                whole = joined(reach.prefix, path) or "/"
                shown, rules = braces(whole)
                before = [x for u in reach.uses if covers(u.path, whole) for x in u.links]
                symbol = handler.function.name or "anonymous"
                for verb in verbs:
                    yield Route(self.name, "http", verb, shown, handler.function, handler.holder, symbol,
                                links=(*before, *hooks, handler, Link(event.call, event.scope)),
                                path_rules={k: v for k, v in rules.items() if v})  # fmt: skip

    def _options(self, service: Service, event: Event) -> dict[str, tuple[n.Expr, Scope]]:
        found: dict[str, tuple[n.Expr, Scope]] = {}
        for expr, scope in event.args:
            followed = service.program.value(expr, scope) if not isinstance(expr, n.Function) else None
            if followed is not None and isinstance(followed[0], n.Entries):
                found |= _entries(service, *followed)
        return found

    def _verbs(self, service: Service, options: dict[str, tuple[n.Expr, Scope]]) -> list[str]:
        given = options.get("method")
        if given is None:
            return []
        text = service.program.text(*given)
        if text is not None:
            return [text.upper()]
        return [t.upper() for e, s in service.program.elements(*given) if (t := service.program.text(e, s)) is not None]

    def _handler(
        self, service: Service, routers: Routers, event: Event, options: dict[str, tuple[n.Expr, Scope]]
    ) -> Link | None:
        if "handler" in options:
            return link_of(service.program, *options["handler"])
        links = [x for x in routers.links(event) if x.function is not None]
        return links[-1] if links else None

    def _hooks(
        self, service: Service, routers: Routers, event: Event, options: dict[str, tuple[n.Expr, Scope]]
    ) -> Iterator[Link]:
        """The functions called before a handler: hung on its plugin, or among the route's options."""
        for each in routers.events:
            if each.method == "addHook" and each.site is event.site and len(each.args) > 1:
                if service.program.text(*each.args[0]) in _HOOKS:
                    yield link_of(service.program, *each.args[1])
        for name in sorted(_HOOKS & options.keys()):
            expr, scope = options[name]
            for one, holder in service.program.elements(expr, scope) or [(expr, scope)]:
                yield link_of(service.program, one, holder)

    def takes(self, service: Service, route: Route) -> Taking:
        call = route.links[-1]
        assert isinstance(call.expr, n.Call)
        taken = list(self._from_schema(service, call.expr, call.scope))
        known = {t.place for t in taken if t.place == "path"}
        named = {f.wire for t in taken if t.place == "path" for f in t.shape.fields}
        taken.extend(t for t in path_parameters(service, route) if t.wire not in named or not known)
        entries = []
        for link in route.links[:-1]:
            if link.function is not None and link.holder is not None:
                names = [p.name for p in link.function.params]
                roles = [frozenset({x}) for x in names[:2]] + [frozenset[str]()] * 2
                taken.extend(base_node.by_type(service, link.function, link.holder))
                entries.append(
                    Entry(link.function, link.holder, {}, {}, roles[0], {}, replies=roles[1], made_by=link.made_by)
                )
        return Taking(tuple(taken), tuple(entries))

    def _from_schema(self, service: Service, call: n.Call, scope: Scope) -> Iterator[Taken]:
        options: dict[str, tuple[n.Expr, Scope]] = {}
        for arg in call.args:
            followed = service.program.value(arg.value, scope) if not isinstance(arg.value, n.Function) else None
            if followed is not None and isinstance(followed[0], n.Entries):
                options |= _entries(service, *followed)
        if "schema" not in options:
            return
        followed = service.program.value(*options["schema"])
        if followed is None or not isinstance(followed[0], n.Entries):
            service.note(options["schema"][0], options["schema"][1], "the schema of this route could not be followed")
            return
        for name, (expr, holder) in _entries(service, *followed).items():
            place = _SCHEMA_PLACES.get(name)
            if place is None:
                continue
            shape = self._shape(service, expr, holder)
            declared = service.place(expr, holder)
            if shape is None:
                service.note(expr, holder, f"the schema of the {name} could not be followed")
                continue
            service.unfollowed.extend(u for u in shape.unfollowed if u not in service.unfollowed)
            if place != "body":
                # What a schema does not list there is no field of anything.
                shape = shape.with_(extra="ignore")
            yield Taken(place, "", shape, True, declared, Origin(place))

    def _shape(self, service: Service, expr: n.Expr, scope: Scope) -> Shape | None:
        """The schema in any of the ways it may be written."""
        for vocabulary in base_node.mine():
            found = vocabulary.shape(service.reader, expr, scope)
            if found.known and (found.fields or found.type != "any" or found.rules):
                # What a schema does not list is taken out by the framework's own settings.
                return found.with_(extra="ignore") if found.extra == "forbid" else found
        return None

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        declared = taken.declared
        if taken.place == "path" and taken.wire and not taken.shape.rules:
            return Ran(None)
        return Ran(RunBy("route schema", declared.file, declared.line, declared.text or ""))

    def words(self, service: Service) -> Words:
        routers = self.routers(service)
        handlers = []
        for event in routers.events:
            if event.method == "setErrorHandler":
                for link in routers.links(event):
                    if link.function is not None and link.holder is not None:
                        handlers.append((link.function, link.holder))
        answers = base_node.ErrorAnswers(service.program, handlers, base_node.Answer((), None))
        return base_node.words(
            service,
            answers,
            _SENSIBLE,
            request=dict(_READS),
            files=frozenset({"file", "files"}),
            getters={},
            replies=_REPLIES,
        )


_SENSIBLE = {f"fastify.httpErrors.{name}": -status for name, status in (
    ("badRequest", 400), ("unauthorized", 401), ("forbidden", 403), ("notFound", 404), ("conflict", 409),
    ("unprocessableEntity", 422))}  # fmt: skip


def _entries(service: Service, expr: n.Expr, scope: Scope) -> dict[str, tuple[n.Expr, Scope]]:
    found: dict[str, tuple[n.Expr, Scope]] = {}
    for key, value in expr.entries if isinstance(expr, n.Entries) else ():
        if key is None:
            followed = service.program.value(value, scope)
            if followed is not None:
                found |= _entries(service, *followed)
        elif isinstance(key, n.Literal):
            found[str(key.value)] = (value, scope)
    return found


framework = Fastify()
