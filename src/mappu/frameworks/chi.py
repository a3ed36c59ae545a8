"""chi: routers inside routers, with the handlers of the standard library."""

from mappu.frameworks.base_go_sites import GoRouterWords
from mappu.frameworks.net_http import StandardHandlers

_CHI = "github.com/go-chi/chi"
_VERBS = {v.capitalize(): v for v in ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")}


class Chi(StandardHandlers):
    """The framework."""

    name = "chi"
    tokens = (f'"{_CHI}'.encode(),)
    router_words = GoRouterWords(
        types={f"{_CHI}.Mux": True, f"{_CHI}.Router": True},
        makers=frozenset({f"{_CHI}.NewRouter", f"{_CHI}.NewMux"}),
        verbs=_VERBS, named=frozenset({"Method", "MethodFunc"}), plain=frozenset({"Handle", "HandleFunc"}),
        groups=frozenset({"With"}), inside=frozenset({"Route", "Group"}), mounts=frozenset({"Mount"}),
    )  # fmt: skip


framework = Chi()
