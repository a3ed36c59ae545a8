"""Hono: chained routers, functions that are given one context, and its schema middleware."""

from collections.abc import Iterator

from mappu.flow.values import Origin
from mappu.flow.words import Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Link, Service, Taken
from mappu.frameworks.base_contexts import ContextFramework
from mappu.frameworks.base_sites import RouterWords
from mappu.frameworks.express.remedies import REMEDIES as NODE
from mappu.inventory.model import PlaceIn
from mappu.syntax import nodes as n

_CHECKING = frozenset({"@hono/zod-validator.zValidator", "@hono/valibot-validator.vValidator",
                       "@hono/typebox-validator.tbValidator", "@hono/standard-validator.sValidator"})  # fmt: skip
_PLACES: dict[str, PlaceIn] = {
    "json": "body", "form": "form", "query": "query", "param": "path", "header": "header", "cookie": "cookie",
}  # fmt: skip

REMEDIES = {
    **NODE,
    "refuse": "leave there: `return c.json(…, 400)`",
    "act-on-it": "act on it: `return c.json(…, 400)` where the check fails",
    "map-error": "answer it with a 4xx: `throw new HTTPException(400, …)`",
    "bind-body": "check it on the way: `zValidator('json', schema)`",
    "bind-query": "check it on the way: `zValidator('query', schema)`",
    "bind-form": "check it on the way: `zValidator('form', schema)`",
}


class Hono(ContextFramework):
    """The framework."""

    name = "hono"
    packages = ("hono", "@hono/zod-openapi", "@hono/node-server")
    tokens = (b"hono", b"Hono")
    remedies = REMEDIES
    router_words = RouterWords(
        apps=frozenset({"hono.Hono", "hono/tiny.Hono", "hono/quick.Hono", "@hono/zod-openapi.OpenAPIHono"}),
        routers=frozenset(),
        types=frozenset({"hono.Hono"}),
        mounts=frozenset({"use", "route", "mount"}),
        below=frozenset({"basePath"}),
    )

    def checked(self, service: Service, link: Link) -> Iterator[Taken]:
        call = link.expr
        if link.function is not None or not isinstance(call, n.Call) or len(call.positional) < 2:
            return
        if service.program.name_of(call.func, link.scope) not in _CHECKING:
            return
        place = _PLACES.get(service.program.text(call.positional[0], link.scope) or "")
        if place is None:
            return
        for vocabulary in base_node.mine():
            shape = vocabulary.shape(service.reader, call.positional[1], link.scope)
            if shape.known:
                yield Taken(place, "", shape, True, service.place(call, link.scope), Origin(place))
                return
        service.note(call, link.scope, "the schema that is checked here could not be followed")

    def words(self, service: Service) -> Words:
        routers = self.routers(service)
        handlers = []
        for event in routers.events:
            if event.method == "onError":
                handlers += [(x.function, x.holder) for x in routers.links(event) if x.function and x.holder]
        answers = base_node.ErrorAnswers(service.program, handlers, base_node.Answer((), None))
        replies = {
            "json": Reply(status=1, makes=True), "text": Reply(status=1, makes=True), "html": Reply(status=1, makes=True),
            "body": Reply(status=1, makes=True), "redirect": Reply(always=302, makes=True), "status": Reply(status=0),
            "notFound": Reply(always=404, makes=True),
        }  # fmt: skip
        errors = {"hono/http-exception.HTTPException": 0}
        return base_node.words(
            service, answers, errors, request={"req": "request", "json": "body", "parseBody": "form", "formData": "form",
                                               "text": "body", "queries": "query"},
            getters={"query": "query", "param": "path", "header": "header"}, parts={"valid": _PLACES}, replies=replies,
            broken={"json": "SyntaxError"}, sends=False,
        )  # fmt: skip


framework = Hono()
