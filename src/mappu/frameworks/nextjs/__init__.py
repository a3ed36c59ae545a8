"""Next.js: route handlers and pages found by their files, and server actions."""

import re
from collections.abc import Iterable
from typing import Literal

from mappu.flow.values import Origin
from mappu.flow.words import Entry, Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_paths import path_parameters
from mappu.frameworks.nextjs import files
from mappu.frameworks.nextjs.remedies import REMEDIES
from mappu.inventory.model import PlaceIn
from mappu.syntax import nodes as n
from mappu.vocabularies.shape import Shape

_READS: dict[str, PlaceIn | Literal["request"]] = {
    "json": "body", "formData": "form", "text": "body", "body": "body", "query": "query", "cookies": "cookie",
    "headers": "header", "params": "path", "searchParams": "query", "nextUrl": "request", "url": "request",
}  # fmt: skip
_REPLIES = {
    "status": Reply(status=0), "json": Reply(sends=True), "send": Reply(sends=True), "end": Reply(sends=True),
    "redirect": Reply(always=302, sends=True), "writeHead": Reply(status=0), "statusCode=": Reply(status=0),
}  # fmt: skip
_ANSWERS = {
    "next/server.NextResponse": 200, "next/server.NextResponse.json": 200, "next/server.NextResponse.redirect": 307,
    "Response": 200, "Response.json": 200, "Response.redirect": 302,
}  # fmt: skip
# How an action tells that it refused: it has no status to say it with.
_REFUSAL = re.compile(
    r"(?i)\berrors?\b|\bmessage\b|success:\s*false|ok:\s*false|\bissues\b|invalid|fail|fieldErrors|flatten\("
)


class NextJS:
    """The framework."""

    name = "nextjs"
    language = "javascript"
    tokens = files.TOKENS
    paths = files.PATHS
    remedies = REMEDIES

    def routes(self, service: Service) -> Iterable[Route]:
        if service.root.package("next") is None and not any(b"next/" in s.module.source for s in service.scopes):
            return []
        return [*files.handlers(service), *files.pages(service), *files.actions(service)]

    def takes(self, service: Service, route: Route) -> Taking:
        function = route.handler
        assert isinstance(function, n.Function)
        names = [p.name for p in function.params]
        if route.surface == "server-action":
            return _action(service, route, function)
        taken = tuple(path_parameters(service, route))
        is_page = "pages/api" in route.scope.module.path
        requests, replies = frozenset(names[:1]), frozenset(names[1:2] if is_page else ())
        if not replies:
            # The second argument of a route handler holds the path's parameters.
            requests = frozenset(names[:2])
        known = {} if route.method == "ALL" else {"method": n.Literal(function.span, route.method)}
        entry = Entry(function, route.scope, {}, {}, requests, {}, replies=replies)
        return Taking(taken, (entry,), known=known)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        return Ran(None)

    def words(self, service: Service) -> Words:
        answers = base_node.ErrorAnswers(service.program, [], base_node.Answer(("?",), None))
        return base_node.words(
            service, answers, {}, request=_READS, getters={},
            replies=_REPLIES, answers=_ANSWERS, broken={"json": "SyntaxError"}, refusal=_REFUSAL,
        )  # fmt: skip


def _action(service: Service, route: Route, function: n.Function) -> Taking:
    """A server action: a form's data, and arguments in their order."""
    taken: list[Taken] = []
    data: dict[str, Origin] = {}
    for param in function.params:
        type_ = service.program.name_of(param.type, route.scope) if param.type is not None else None
        if type_ == "FormData" or (
            param.type is None and param.name in ("formData", "form", "data") and param is function.params[-1]
        ):
            data[param.name] = Origin("form")
            continue
        if param.name.lstrip("_").lower() in files.STATES:
            # What the action itself gave back before, handed in by the framework.
            continue
        origin = Origin("body", (param.name,))
        data[param.name] = origin
        taken.append(Taken("body", param.name, Shape(), False, service.place(param, route.scope), origin))
    return Taking(tuple(taken), (Entry(function, route.scope, data, {}, frozenset(), {}),))


framework = NextJS()
