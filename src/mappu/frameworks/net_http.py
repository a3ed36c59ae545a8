"""The standard library: handlers that are given a response writer and a request."""

from collections.abc import Iterable

import msgspec

from mappu.flow.words import Words
from mappu.frameworks import base_go
from mappu.frameworks.base import Route, Service
from mappu.frameworks.base_go_handlers import GoFramework
from mappu.frameworks.base_go_sites import GoRouterWords

_HTTP = "net/http"
REMEDIES = {
    "refuse": "leave there: `http.Error(w, …, http.StatusBadRequest)` and `return`",
    "act-on-it": "act on it: `if err != nil { http.Error(w, …, http.StatusBadRequest); return }`",
    "check-first": "decode first and check after, both above the call that stores",
    "map-error": "answer it with a 4xx: `http.Error(w, …, http.StatusBadRequest)`",
    "refuse-in-rule": "let the function return an error instead of panicking",
    "catch-model-error": "answer the error with a 4xx: `http.Error(w, …, http.StatusBadRequest)`",
    "catch-read-error": "use the form with two values, and answer a 4xx: `v, ok := x.(string)`",
    "bind-body": "decode it into a struct, and call a validator on that before it is used",
    "bind-query": "check it before it is used: its type, and a limit: `{name}`",
    "bind-header": "check it before it is used: its type, and a limit: `{name}`",
    "bind-cookie": "check it before it is used: its type, and a limit: `{name}`",
    "bind-path": "check it before it is used: its type, and a limit: `{name}`",
    "bind-form": "check it before it is used: its type, and a limit: `{name}`",
    "run-rules": "run them: `if err := validate.Struct(req); err != nil { http.Error(w, …, 400); return }` with {model}",
    "bind-plain-model": "run them: call a validator on {model} before it is used",
    "parameter-model": "decode it into a struct, and call a validator on that",
    "fit-type": "use a rule that fits the type, or change the type",
    "model-inside": "put `dive` on it: the rules behind it are those of each element",
    "check-type": "decode it into a struct, whose types the decoder checks",
    "type-it": "decode it into a struct with rules, and call a validator on that",
    "limit-string": "add an upper limit: `max=…`",
    "limit-array": "add an upper limit to the number of its elements: `max=…`",
    "limit-number": "add an upper limit: `max=…`",
    "drop-unlisted": "refuse unknown fields: `DisallowUnknownFields()` on the decoder",
    "start-early": "check it when the service starts, before {name} is needed",
}


class StandardHandlers(GoFramework):
    """A framework whose handlers are those of the standard library."""

    remedies = REMEDIES
    contexts = frozenset({f"{_HTTP}.ResponseWriter"})
    requests = frozenset({f"{_HTTP}.Request"})
    curly = True

    def words(self, service: Service) -> Words:
        return base_go.words(service, base_go.by_itself, {})


class NetHttp(StandardHandlers):
    """The framework."""

    name = "net/http"
    # Nearly every file imports the package; only these hang anything on a server.
    tokens = (b"HandleFunc(", b".Handle(", b"ServeMux")
    router_words = GoRouterWords(
        types={f"{_HTTP}.ServeMux": True}, makers=frozenset({f"{_HTTP}.NewServeMux"}),
        plain=frozenset({"HandleFunc", "Handle"}), mounts=frozenset({"Handle"}), uses=frozenset(),
        packages=frozenset({_HTTP}),
    )  # fmt: skip

    def routes(self, service: Service) -> Iterable[Route]:
        for route in super().routes(service):
            # What stands for all that is left, or for nothing more.
            path = route.path.replace("{$}", "").replace("...}", "}")
            yield msgspec.structs.replace(route, path=path)


framework = NetHttp()
