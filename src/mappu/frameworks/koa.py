"""Koa: routers with prefixes, functions that are given one context."""

from mappu.flow.words import Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Service
from mappu.frameworks.base_contexts import ContextFramework
from mappu.frameworks.base_sites import RouterWords
from mappu.frameworks.express.remedies import REMEDIES as NODE

_ROUTERS = ("koa-router", "@koa/router", "koa-better-router", "koa-joi-router")

REMEDIES = {
    **NODE,
    "refuse": "leave there: `ctx.throw(400, …)`",
    "act-on-it": "act on it: `ctx.throw(400, …)` where the check fails",
    "map-error": "answer it with a 4xx: `ctx.throw(400, …)`, or give the error a `status`",
}


class Koa(ContextFramework):
    """The framework."""

    name = "koa"
    packages = ("koa", *_ROUTERS)
    tokens = (b"koa", b"outer.get(", b"outer.post(", b"outer.put(", b"outer.patch(", b"outer.delete(")
    remedies = REMEDIES
    router_words = RouterWords(
        apps=frozenset({"koa", "koa.Koa"}),
        routers=frozenset({*_ROUTERS, *(f"{r}.Router" for r in _ROUTERS)}),
        types=frozenset({"koa", "koa-router", "@koa/router"}),
        mounts=frozenset({"use"}),
        same=frozenset({"routes", "middleware", "allowedMethods", "prefix"}),
        prefix_option="prefix",
        below=frozenset(),
    )

    def words(self, service: Service) -> Words:
        answers = base_node.ErrorAnswers(service.program, [], base_node.Answer((), None))
        replies = {
            "throw": Reply(status=0, throws=True), "status=": Reply(status=0, sends=True), "body=": Reply(sends=True),
            "redirect": Reply(always=302, sends=True),
        }  # fmt: skip
        reads = {
            "request": "request", "req": "request", "body": "body", "query": "query", "params": "path", "headers": "header",
            "header": "header", "files": "form", "file": "form",
        }  # fmt: skip
        return base_node.words(service, answers, {}, request=reads, getters={"get": "header"}, replies=replies)


framework = Koa()
