"""NestJS: controllers, their parameters, and the pipes that run the rules."""

import re
import weakref
from collections.abc import Iterable

from mappu.flow.words import Reply, Words
from mappu.frameworks import base_node
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.nestjs import parameters
from mappu.frameworks.nestjs.controllers import Controllers
from mappu.frameworks.nestjs.pipes import Pipes
from mappu.frameworks.nestjs.remedies import REMEDIES
from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Target

_READS: dict[str, PlaceIn] = {
    "body": "body", "query": "query", "params": "path", "headers": "header", "cookies": "cookie", "files": "form", "file": "form",
}  # fmt: skip
_REPLIES = {
    "status": Reply(status=0), "code": Reply(status=0), "sendStatus": Reply(status=0, sends=True), "json": Reply(sends=True),
    "send": Reply(sends=True), "end": Reply(sends=True), "redirect": Reply(always=302, sends=True), "render": Reply(sends=True),
}  # fmt: skip
_ERRORS = {
    "HttpException": 1, "BadRequestException": -400, "UnauthorizedException": -401, "ForbiddenException": -403,
    "NotFoundException": -404, "MethodNotAllowedException": -405, "NotAcceptableException": -406,
    "RequestTimeoutException": -408, "ConflictException": -409, "GoneException": -410, "PreconditionFailedException": -412,
    "PayloadTooLargeException": -413, "UnsupportedMediaTypeException": -415, "ImATeapotException": -418,
    "MisdirectedException": -421, "UnprocessableEntityException": -422, "InternalServerErrorException": -500,
    "NotImplementedException": -501, "BadGatewayException": -502, "ServiceUnavailableException": -503,
    "GatewayTimeoutException": -504,
}  # fmt: skip


class NestJS:
    """The framework."""

    name = "nestjs"
    language = "javascript"
    tokens = (b"@nestjs/",)
    remedies = REMEDIES

    def __init__(self) -> None:
        self._pipes: weakref.WeakKeyDictionary[Service, Pipes] = weakref.WeakKeyDictionary()

    def pipes(self, service: Service) -> Pipes:
        if service not in self._pipes:
            self._pipes[service] = Pipes(service)
        return self._pipes[service]

    def routes(self, service: Service) -> Iterable[Route]:
        return Controllers(service).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        return parameters.takes(service, route, self.pipes(service))

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        return parameters.runs(service, route, taken, self.pipes(service))

    def words(self, service: Service) -> Words:
        errors = {f"@nestjs/common.{name}": position for name, position in _ERRORS.items()}
        filters = parameters.filters(service)

        def mapped(target: Target | None, own: int | None) -> int | None:
            if own is not None:
                return own
            return filters(target)

        return base_node.words(
            service, mapped, errors, request={**_READS}, files=frozenset({"file", "files"}),
            getters={"get": "header", "header": "header"}, replies=_REPLIES,
            sends=True,
        )  # fmt: skip


def braces(path: str) -> str:
    """The path with its parameters in braces."""
    return re.sub(r":(\w+)(\([^)]*\))?\??", r"{\1}", path)


framework = NestJS()
