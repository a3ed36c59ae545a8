"""What the routers of Go servers are made of: sites, ways to them, what hangs on them, and calls with parts put in."""

import re
from collections.abc import Mapping
from functools import cached_property

import msgspec

from mappu.frameworks.base import Link
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n

ALL = "ALL"
# What the members of a loop's variable stand for in one turn: by the names of both.
Row = Mapping[tuple[str, str], n.Expr]
# Arguments, each with the scope that it is seen from.
Given = list[tuple[n.Expr, Scope]]


class GoRouterWords(msgspec.Struct, frozen=True, dict=True):
    """What a framework calls things, by the names of methods unless said otherwise.

    - `types`: the types of routers, to whether one is reached by itself; `makers` are the functions that make those.
    - `verbs` to their HTTP method. `named` take the method first; `plain` take none, or have it in the path.
    - `groups` give a router below a path, `same` the same one again, `inside` hand one to a function, `mounts` hang one
    below a path.
    - `uses` put functions in front of what comes behind. `first` where the handler comes before the functions in front of it.
    - `methods` limit a route made by `plain` to HTTP methods; `paths` give such a route its path, `ends` its handler.
    - `packages`: functions of a package that are methods of a router that the package has.
    """

    types: Mapping[str, bool]
    makers: frozenset[str] = frozenset()
    verbs: Mapping[str, str] = {}
    named: frozenset[str] = frozenset()
    plain: frozenset[str] = frozenset()
    groups: frozenset[str] = frozenset()
    same: frozenset[str] = frozenset()
    inside: frozenset[str] = frozenset()
    mounts: frozenset[str] = frozenset()
    uses: frozenset[str] = frozenset({"Use"})
    first: bool = False
    methods: str = ""
    paths: frozenset[str] = frozenset()
    ends: frozenset[str] = frozenset()
    packages: frozenset[str] = frozenset()

    @cached_property
    def hint(self) -> re.Pattern[bytes]:
        """Finds what may speak of a router, in source."""
        methods = "|".join(sorted(self.all | {self.methods or "Use"}))
        names = "|".join(sorted({x.rpartition(".")[2] for x in (*self.types, *self.makers)} - {"New", "Default"}))
        return re.compile(rf"\.(?:{methods})\(|\b(?:{names or methods})\b|(?i:rout|mux|StripPrefix)".encode())

    @cached_property
    def all(self) -> frozenset[str]:
        """Every method that is one of a router."""
        return frozenset().union(self.verbs, self.named, self.plain, self.groups, self.same, self.inside, self.mounts, self.uses,
                                 self.paths, self.ends)  # fmt: skip


class Site(msgspec.Struct, eq=False):
    """A router: where it is, and whether it is reached by itself."""

    node: object
    scope: Scope
    is_app: bool


class Edge(msgspec.Struct, frozen=True, eq=False):
    """A way from one router to another: the path in between, the functions on it, and the call that makes it."""

    above: Site
    prefix: str
    links: tuple[Link, ...]
    call: n.Call
    scope: Scope


class Hung(msgspec.Struct, frozen=True, eq=False):
    """A route on a router: its methods (none for any), its path there, the functions in front of it, its handler, its call."""

    site: Site
    methods: tuple[str, ...]
    path: str
    links: tuple[Link, ...]
    call: n.Call
    scope: Scope


def last_name(func: n.Expr) -> str:
    inner = func.value if isinstance(func, n.Index) else func
    return inner.name if isinstance(inner, n.Member) else inner.id if isinstance(inner, n.Name) else ""


def summands(expr: n.Expr) -> list[n.Expr]:
    """The parts of a text put together; any other expression as it is."""
    if isinstance(expr, n.Binary) and expr.op == "+":
        return [*summands(expr.left), *summands(expr.right)]
    return [expr]


def key(call: n.Call, scope: Scope) -> tuple[str, int, int]:
    return scope.module.path, call.span.start, call.span.end


def filled(call: n.Call, row: Row) -> n.Call:
    """The call with what it takes from a row written out."""
    if not row:
        return call
    return n.Call(call.span, put(call.func, row), tuple(n.Arg(put(a.value, row), a.name, a.spread) for a in call.args))


def put(expr: n.Expr, row: Row) -> n.Expr:
    if not row:
        return expr
    if isinstance(expr, n.Member) and isinstance(expr.value, n.Name) and (expr.value.id, expr.name) in row:
        return row[expr.value.id, expr.name]
    if isinstance(expr, n.Member):
        return n.Member(expr.span, put(expr.value, row), expr.name)
    if isinstance(expr, n.Binary):
        return n.Binary(expr.span, expr.op, put(expr.left, row), put(expr.right, row))
    return filled(expr, row) if isinstance(expr, n.Call) else expr


def may_make(call: n.Call, words: GoRouterWords) -> bool:
    return isinstance(call.func, n.Member) and (call.func.name in words.groups or call.func.name in words.same)
