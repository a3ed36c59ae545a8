"""fiber: handlers that give their errors back, and a parser for every place, which runs no rules."""

import re
from typing import Any

from mappu.flow.words import Fill, Reply, Words
from mappu.frameworks import base_go
from mappu.frameworks.base import Service
from mappu.frameworks.base_go_handlers import GoFramework
from mappu.frameworks.base_go_sites import ALL, GoRouterWords
from mappu.frameworks.base_paths import braces
from mappu.frameworks.net_http import REMEDIES as STANDARD
from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Target

_FIBER = "github.com/gofiber/fiber"
_VERBS = {v.capitalize(): v for v in ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")} | {"All": ALL}
_GETTERS: dict[str, PlaceIn] = {"Params": "path", "Query": "query", "FormValue": "form", "FormFile": "form", "Get": "header",
                                "Cookies": "cookie", "ParamsInt": "path", "QueryInt": "query", "QueryBool": "query"}  # fmt: skip
_SENDS = ("JSON", "SendString", "Send", "Render", "XML", "SendFile", "Download", "JSONP", "SendStream")
_REPLIES = {**{name: Reply(makes=True) for name in _SENDS}, "SendStatus": Reply(status=0, makes=True), "Status": Reply(status=0),
            "Redirect": Reply(always=302, makes=True)}  # fmt: skip
# The second generation's parsers, and the third's, which hang on Bind().
_FILLS = {
    "BodyParser": Fill((("body", "json"),)), "QueryParser": Fill((("query", "query~"),)),
    "ParamsParser": Fill((("path", "params~"),)), "ReqHeaderParser": Fill((("header", "reqHeader~"),)),
    "CookieParser": Fill((("cookie", "cookie~"),)), "Body": Fill((("body", "json"),)), "URI": Fill((("path", "uri~"),)),
    "Header": Fill((("header", "header~"),)),
}  # fmt: skip
_LIMITED = re.compile(r":(\w+)<([^<>]*)>")
_LIMITS = {
    "int": r"^-?\d+$",
    "bool": "^(true|false|1|0)$",
    "alpha": "^[a-zA-Z]+$",
    "guid": r"^[0-9a-fA-F]{8}(-[0-9a-fA-F]{4}){3}-[0-9a-fA-F]{12}$",
}
REMEDIES = {
    **STANDARD,
    "refuse": "leave there: `return fiber.NewError(fiber.StatusBadRequest, …)`",
    "act-on-it": "act on it: `if err != nil { return fiber.NewError(fiber.StatusBadRequest, …) }`",
    "map-error": "give back an error with a 4xx: `return fiber.NewError(fiber.StatusBadRequest, …)`",
    "run-rules": "run them: `if err := validate.Struct(req); err != nil { return fiber.NewError(400, …) }` with {model}",
}


class Fiber(GoFramework):
    """The framework."""

    name = "fiber"
    tokens = (f'"{_FIBER}'.encode(),)
    remedies = REMEDIES
    contexts = frozenset({f"{_FIBER}.Ctx"})
    router_words = GoRouterWords(
        types={f"{_FIBER}.App": True, f"{_FIBER}.Router": False, f"{_FIBER}.Group": False}, makers=frozenset({f"{_FIBER}.New"}),
        verbs=_VERBS, named=frozenset({"Add"}), groups=frozenset({"Group"}), inside=frozenset({"Route"}),
        mounts=frozenset({"Mount"}),
    )  # fmt: skip

    def shown(self, path: str) -> tuple[str, dict[str, str]]:
        """A path with its parameters in braces, and the patterns of those that are limited in it: `:id<int>`."""
        rules = {name: _LIMITS[rule] for name, rule in _LIMITED.findall(path) if rule in _LIMITS}
        shown, _ = braces(_LIMITED.sub(r":\1", path))
        return shown, rules

    def words(self, service: Service) -> Words:
        # One of the service's own may answer anything with anything.
        otherwise = 0 if any(b"ErrorHandler" in s.module.source for s in service.scopes) else None

        def mapped(target: Target | None, own: int | None) -> int | None:
            return otherwise if own is None else own

        own: dict[str, Any] = {
            "request": {**base_go.REQUEST, "Body": "body", "Request": "request", "Bind": "request", "BodyRaw": "body"},
            "getters": _GETTERS, "replies": _REPLIES, "fills": _FILLS, "one_object": True,
            "keeping": {"Locals": "either"},
            "named_errors": base_go.named_errors(_FIBER),
            "parsed": {"ParamsInt": ("type", "integer")}, "pairs": {"FormFile": "error"}, "uploads": frozenset({"FormFile"}),
            "answers_errors": True, "sends": False,
        }  # fmt: skip
        return base_go.words(service, mapped, {f"{_FIBER}.NewError": 0, f"{_FIBER}.Error": 0}, **own)


framework = Fiber()
