"""What routers are made of: sites, what hangs on them, ways to them, and the paths in between."""

import re
from collections.abc import Mapping

import msgspec

from mappu.frameworks.base import Link
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted

METHODS = {m: m.upper() for m in ("get", "post", "put", "patch", "delete", "head", "options")} | {"del": "DELETE"}

Env = Mapping[str, tuple[n.Expr, Scope]]


class RouterWords(msgspec.Struct, frozen=True):
    """What a framework calls things: the calls that make an app and a router, the types of both, methods that hang something
    below a path, those that give the same router back, and the option that holds a router's prefix."""

    apps: frozenset[str]
    routers: frozenset[str]
    types: frozenset[str]
    mounts: frozenset[str]
    same: frozenset[str] = frozenset()
    prefix_option: str | None = None
    # Methods that call a function with the router, to hang routes on it (a plugin).
    plugins: frozenset[str] = frozenset()
    # Methods that give a router below a path, and whether it is a router of its own there.
    below: frozenset[str] = frozenset({"route"})


class Site(msgspec.Struct, eq=False):
    """An app, a router, or a function's parameter that is given one. `prefix` is its own."""

    node: n.Node
    scope: Scope
    is_app: bool
    prefix: str = ""
    is_param: bool = False


class Event(msgspec.Struct, eq=False):
    """Something hung on a site: the method called, the path below it, and the functions and sites given, in order."""

    site: Site
    method: str
    path: str
    call: n.Call
    scope: Scope
    args: list[tuple[n.Expr, Scope]]
    env: Env = {}

    @property
    def order(self) -> tuple[str, int]:
        return self.scope.module.path, self.call.span.end


class Use(msgspec.Struct, frozen=True, eq=False):
    """Functions that run for every route below a path. `event` is where they were hung."""

    path: str
    links: tuple[Link, ...]
    event: Event


class Reach(msgspec.Struct, frozen=True, eq=False):
    """A way to a site: the path in front, and what runs on the way. `whole` where it begins at an app that listens: nothing else
    stands in front of it then."""

    prefix: str
    uses: tuple[Use, ...] = ()
    whole: bool = False


def stub(program: Program, link: Link) -> Link:
    """A handler that cannot be followed, as a function that does nothing: the route is there all the same."""
    name = dotted(link.expr) or ""
    function = n.Function(link.expr.span, name.rpartition(".")[2], (), None, (), n.Lazy(tuple))
    return Link(link.expr, link.scope, function, link.scope)


def is_pattern(expr: n.Expr) -> bool:
    return isinstance(expr, n.Call) and dotted(expr.func) == "RegExp"


def joined(*parts: str) -> str:
    """Put parts of a path together, with one slash between them and none at the end."""
    found = re.sub(r"/{2,}", "/", "/".join(p for p in parts if p))
    found = found if found.startswith(("/", "<")) or not found else "/" + found
    return found.rstrip("/") if len(found) > 1 else found


def covers(prefix: str, path: str) -> bool:
    """True where a path lies at or below another."""
    first = [s for s in prefix.split("/") if s and s != "*"]
    second = [s for s in path.split("/") if s]
    return len(first) <= len(second) and all(a == b or a[:1] == ":" for a, b in zip(first, second, strict=False))


def answers_errors(link: Link) -> bool:
    """True for a function with an error in front: it runs only where another one failed."""
    return link.function is not None and len(link.function.params) == 4 and link.made_by is None
