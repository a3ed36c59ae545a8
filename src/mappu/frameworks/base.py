"""What a framework answers: which routes there are, what each takes, and what runs the rules on it."""

from collections.abc import Iterable, Iterator, Mapping
from typing import Protocol

import msgspec

from mappu.flow.values import Origin
from mappu.flow.words import Entry, Words
from mappu.inventory.model import Place, PlaceIn, RunBy, Status, Surface, Unfollowed
from mappu.sources.manifests import ServiceRoot
from mappu.sources.settings import Settings
from mappu.sources.walk import SourceFile
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.vocabularies.shape import Default, Reader, Shape

# Looking for a name reads every file of the service again; a tree larger than this is no single service.
MAX_BYTES = 60_000_000


class Service(msgspec.Struct, eq=False, weakref=True):
    """One service as a framework sees it: its folder, the paths of all its files, the scopes of those that hold words of
    interest, and names."""

    root: ServiceRoot
    program: Program
    paths: tuple[str, ...]
    scopes: tuple[Scope, ...]
    reader: Reader
    settings: Settings
    language: str
    unfollowed: list[Unfollowed] = msgspec.field(default_factory=list)

    def sources(self) -> Iterator[tuple[str, bytes]]:
        """Yield every file of the service with its bytes; nothing where there is more than any one service has."""
        files = [f for p in self.paths if isinstance(f := self.program.files[p], SourceFile)]
        if sum(f.size for f in files) > MAX_BYTES:
            return
        for file in files:
            try:
                yield file.path, file.read()
            except OSError:
                # Said already, when the file was first looked at.
                continue

    def mentioning(self, name: str) -> list[Scope]:
        """Return the scopes of the files that hold a name."""
        word = name.encode()
        found = [self.program.module_scope(path) for path, data in self.sources() if word in data]
        return [scope for scope in found if scope is not None]

    def place(self, node: n.Node, scope: Scope) -> Place:
        return scope.module.place(node)

    def note(self, node: n.Node, scope: Scope, what: str) -> None:
        """List a place that could not be followed, once."""
        self.note_place(Place(scope.module.path, node.line), what)

    def note_place(self, place: Place, what: str) -> None:
        found = Unfollowed(place.file, place.line, what)
        if found not in self.unfollowed:
            self.unfollowed.append(found)


class Dependency(msgspec.Struct, frozen=True, eq=False):
    """Something that runs before the handler: the expression that names it, and where it stands."""

    expr: n.Expr
    scope: Scope


class Link(msgspec.Struct, frozen=True, eq=False):
    """One function on a route's way to its handler, or the handler itself. `made_by` is the call that makes it, where one does;
    `wrapped` where another function goes around it. One whose source is not at hand has only the expression that names it.
    `parameter` is the path parameter that calls it."""

    expr: n.Expr
    scope: Scope
    function: n.Function | None = None
    holder: Scope | None = None
    made_by: tuple[n.Call, Scope] | None = None
    wrapped: bool = False
    parameter: str | None = None


class Route(msgspec.Struct, frozen=True, eq=False):
    """One way in, with the path a client calls."""

    framework: str
    surface: Surface
    method: str
    path: str
    handler: n.Function | n.Class
    scope: Scope
    symbol: str
    before: tuple[Dependency, ...] = ()
    links: tuple[Link, ...] = ()
    # What else a request must have to come here, where others of the same path go elsewhere.
    only: str = ""
    # Limits that the path itself puts on its parameters.
    path_rules: Mapping[str, str] = {}


class Taken(msgspec.Struct, frozen=True, eq=False):
    """One parameter the framework binds for a route. `wire` is the name the client sends, "" for a whole body or a
    parameter model, whose fields then stand by themselves. `origin` is how the flow engine knows it."""

    place: PlaceIn
    wire: str
    shape: Shape
    required: bool
    declared: Place
    origin: Origin
    default: Default | None = None
    # True where what was checked takes effect only once the handler asks for the outcome; `told_to` is the parameter that it is
    # told to, where the rules run whether or not anybody asks.
    awaits: bool = False
    told_to: str | None = None
    # True where the handler's own call makes a value of it.
    decoded: bool = False


class Ran(msgspec.Struct, frozen=True):
    """What runs the rules of something taken, what a failed rule then ends as, and why it is not a refusal. `binder` is what
    checks the types all the same, where the rules are not run. `written` is what becomes of rules that nothing runs on the way in
    where it is stored as it came: the storage then runs them."""

    run_by: RunBy | None
    status: Status = "runs"
    why_not: str | None = None
    binder: RunBy | None = None
    written: "tuple[Status, str | None] | None" = None


class Taking(msgspec.Struct, frozen=True, eq=False):
    """What a route takes, and the functions that run on it in order."""

    taken: tuple[Taken, ...]
    entries: tuple[Entry, ...]
    # Why there is no body on this route, whatever is sent; None where there may be one.
    no_body: str | None = None
    # Members of the request that the route itself says.
    known: Mapping[str, n.Literal] = {}


class Framework(Protocol):
    """A web framework. A module of this folder offers one as `framework`. `tokens` are words one of which every file with a
    route holds; one that finds routes by the names of files says in `paths` which. `remedies` says how a fault is closed
    there: a sentence for each of the words that the gap kinds ask for. A page named after it in `pages/` shows the same at
    length, a section a gap kind."""

    name: str
    language: str
    tokens: tuple[bytes, ...]
    remedies: Mapping[str, str]

    def routes(self, service: Service) -> Iterable[Route]:
        """Return every route that a client can call."""

    def takes(self, service: Service, route: Route) -> Taking:
        """Return what a route takes from the client."""

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        """Tell what runs the rules of something taken on this route."""

    def words(self, service: Service) -> Words:
        """Return what the framework's names mean to the flow engine."""
