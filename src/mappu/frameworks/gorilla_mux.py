"""gorilla/mux: routes limited by method, with patterns in their paths and the handlers of the standard library."""

from mappu.frameworks.base_go_sites import GoRouterWords
from mappu.frameworks.net_http import StandardHandlers

_MUX = "github.com/gorilla/mux"


class GorillaMux(StandardHandlers):
    """The framework."""

    name = "gorilla/mux"
    tokens = (f'"{_MUX}'.encode(),)
    router_words = GoRouterWords(
        types={f"{_MUX}.Router": True}, makers=frozenset({f"{_MUX}.NewRouter"}), plain=frozenset({"HandleFunc", "Handle"}),
        groups=frozenset({"PathPrefix"}),
        same=frozenset({"Subrouter", "StrictSlash", "Methods", "Schemes", "Host", "Headers", "Queries", "NewRoute", "Name",
                        "UseEncodedPath", "SkipClean"}),
        methods="Methods", paths=frozenset({"Path"}), ends=frozenset({"HandlerFunc", "Handler"}),
    )  # fmt: skip


framework = GorillaMux()
