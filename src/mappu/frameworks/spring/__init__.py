"""Spring MVC and WebFlux: annotated controllers, and what binds and checks their parameters."""

from collections.abc import Iterable
from weakref import WeakKeyDictionary

from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.spring import functional
from mappu.frameworks.spring.controllers import Controllers
from mappu.frameworks.spring.errors import VIOLATIONS, Answers
from mappu.frameworks.spring.parameters import Parameters
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.symbols.program import Target

_HTTP = "org.springframework.http."
_ANSWERS = {
    f"{_HTTP}ResponseEntity": 200, f"{_HTTP}ResponseEntity.ok": 200, f"{_HTTP}ResponseEntity.created": 201,
    f"{_HTTP}ResponseEntity.accepted": 202, f"{_HTTP}ResponseEntity.noContent": 204, f"{_HTTP}ResponseEntity.badRequest": 400,
    f"{_HTTP}ResponseEntity.notFound": 404, f"{_HTTP}ResponseEntity.unprocessableEntity": 422,
    f"{_HTTP}ResponseEntity.internalServerError": 500, f"{_HTTP}ResponseEntity.status": 200, f"{_HTTP}ResponseEntity.of": 200,
    f"{_HTTP}ProblemDetail.forStatus": 400, f"{_HTTP}ProblemDetail.forStatusAndDetail": 400,
}  # fmt: skip
_FIRST = {
    f"{_HTTP}ResponseEntity.status": 0,
    f"{_HTTP}ProblemDetail.forStatus": 0,
    f"{_HTTP}ProblemDetail.forStatusAndDetail": 0,
}
_ERRORS = {
    "org.springframework.web.server.ResponseStatusException": 0, "org.springframework.web.ErrorResponseException": 0,
    "org.springframework.web.server.ServerWebInputException": -400, "org.springframework.web.client.HttpClientErrorException": 0,
    "org.springframework.security.access.AccessDeniedException": -403,
}  # fmt: skip


class Spring:
    """The framework."""

    name = "spring"
    language = "java"
    tokens = (b"org.springframework", b"Mapping", b"Controller", b"ExceptionHandler")
    remedies = REMEDIES

    def __init__(self) -> None:
        self._parameters: WeakKeyDictionary[Service, Parameters] = WeakKeyDictionary()
        self._answers: WeakKeyDictionary[Service, Answers] = WeakKeyDictionary()

    def parameters(self, service: Service) -> Parameters:
        if service not in self._parameters:
            self._parameters[service] = Parameters(service)
        return self._parameters[service]

    def answers(self, service: Service) -> Answers:
        if service not in self._answers:
            self._answers[service] = Answers(service)
        return self._answers[service]

    def routes(self, service: Service) -> Iterable[Route]:
        controllers = Controllers(service)
        yield from controllers.routes()
        yield from functional.Functional(service, controllers.prefix).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        if functional.is_functional(route):
            return functional.takes(service, route)
        return self.parameters(service).takes(route)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        known = base_java.known_errors()
        answers = self.answers(service)
        # Whichever age of the standard the service is of.
        near = [answers.nearby(Target(name), route.scope, known) for name in VIOLATIONS]
        told = near if any(near) else [answers.of(Target(name), None, known) for name in VIOLATIONS]
        mapped = min((status for status in told if status), default=told[0])
        return self.parameters(service).runs(route, taken, mapped)

    def words(self, service: Service) -> Words:
        answers, known = self.answers(service), base_java.known_errors()
        return base_java.words(
            service, lambda target, own: answers.of(target, own, known), _ERRORS,
            nearby=lambda target, scope: answers.nearby(target, scope, known), answers=_ANSWERS, answer_status=_FIRST,
            request={"getReader": "body", "getInputStream": "body", "getParameterMap": "query", "getCookies": "cookie",
                     "bodyToMono": "body", "bodyToFlux": "body", "body": "body", "formData": "form", "queryParams": "query"},
            getters={"getParameter": "query", "getHeader": "header", "getPart": "form", "getParameterValues": "query",
                     "queryParam": "query", "pathVariable": "path", "param": "query"},
        )  # fmt: skip


framework = Spring()
