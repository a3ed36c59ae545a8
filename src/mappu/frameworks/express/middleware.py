"""Functions of well-known packages on a route's way that check what it takes."""

from collections.abc import Iterable, Iterator

from mappu.flow.values import Origin
from mappu.frameworks import base_node
from mappu.frameworks.base import Link, Ran, Service, Taken
from mappu.inventory.model import PlaceIn, RunBy
from mappu.symbols.program import Scope
from mappu.syntax import nodes as n
from mappu.vocabularies.request_chains import vocabulary as request_chains
from mappu.vocabularies.shape import Shape

_PLACES: dict[str, PlaceIn] = {
    "body": "body", "query": "query", "params": "path", "headers": "header", "cookies": "cookie", "BODY": "body",
    "QUERY": "query",
    "PARAMS": "path", "HEADERS": "header", "COOKIES": "cookie",
}  # fmt: skip
# Calls that make a function which checks parts of a request: each part with its schema in an object, or one part alone.
_BY_PART = frozenset(
    {"celebrate.celebrate", "zod-express-middleware.validateRequest", "zod-express-middleware.processRequest"}
)
_ONE_PART: dict[str, PlaceIn] = {
    "zod-express-middleware.validateRequestBody": "body", "zod-express-middleware.validateRequestQuery": "query",
    "zod-express-middleware.validateRequestParams": "path", "zod-express-middleware.processRequestBody": "body",
}  # fmt: skip
# What an upload function takes: one file under a name, or several.
_UPLOADS = frozenset({"single", "array", "fields"})


def taken(service: Service, link: Link) -> Iterator[Taken]:
    """What such a function checks."""
    call, scope = link.expr, link.scope
    if link.function is not None or not isinstance(call, n.Call):
        return
    name = service.program.name_of(call.func, scope) or ""
    if name in _BY_PART and call.positional:
        yield from _parts(service, call.positional[0], scope)
    elif name in _ONE_PART and call.positional:
        shape = _schema(service, call.positional[0], scope)
        if shape is not None:
            yield Taken(_ONE_PART[name], "", shape, True, service.place(call, scope), Origin(_ONE_PART[name]))
    elif isinstance(call.func, n.Member) and call.func.name in _UPLOADS:
        yield from _files(service, call, scope)
    for found in request_chains.checked(service.reader, call, scope):
        path = tuple(found.path.replace("[]", ".[]").split("."))
        yield Taken(found.place, found.path, found.shape, found.required or found.place == "path", found.declared,
                    Origin(found.place, path), awaits=True)  # fmt: skip


def may_parse(links: Iterable[Link]) -> bool:
    """True where something on the way parses a body, or cannot be looked into and may. What the service wrote itself is no
    parser, unless it sets the body or reads the stream."""
    for link in links:
        if link.function is None or link.holder is None:
            return True
        source = link.holder.module.source[link.function.span.start : link.function.span.end]
        if any(word in source for word in _PARSES):
            return True
    return False


_PARSES = (
    b".body =",
    b"on('data'",
    b'on("data"',
    b"express.json(",
    b"urlencoded(",
    b"bodyParser",
    b"raw-body",
    b"busboy",
    b"formidable",
)


def _parts(service: Service, expr: n.Expr, scope: Scope) -> Iterator[Taken]:
    followed = service.program.value(expr, scope)
    for key, value in followed[0].entries if followed is not None and isinstance(followed[0], n.Entries) else ():
        assert followed is not None
        word = key.value if isinstance(key, n.Literal) else key.name if isinstance(key, n.Member) else None
        place = _PLACES.get(str(word))
        shape = _schema(service, value, followed[1]) if place is not None else None
        if place is not None and shape is not None:
            yield Taken(place, "", shape, True, service.place(value, followed[1]), Origin(place))


def _schema(service: Service, expr: n.Expr, scope: Scope) -> Shape | None:
    for vocabulary in base_node.mine():
        found = vocabulary.shape(service.reader, expr, scope)
        if found.known and found.fields:
            return found
    service.note(expr, scope, "the schema that is checked here could not be followed")
    return None


def _files(service: Service, call: n.Call, scope: Scope) -> Iterator[Taken]:
    """`upload.single("photo")`: the name the file comes under."""
    assert isinstance(call.func, n.Member)
    followed = service.program.value(call.func.value, scope)
    made = followed[0] if followed is not None else None
    if not isinstance(made, n.Call) or followed is None or service.program.name_of(made.func, followed[1]) != "multer":
        return
    name = service.program.text(call.positional[0], scope) if call.positional else None
    if name is not None:
        place = service.place(call, scope)
        yield Taken("form", name, Shape("file"), False, place, Origin("form", ("file",)))


def runs(found: Taken) -> Ran:
    """What runs what such a function, or the path itself, checks."""
    declared = found.declared
    if found.place == "form" or (found.place == "path" and found.wire and not found.shape.rules):
        return Ran(None)
    what = "router" if found.place == "path" and found.wire else "middleware"
    return Ran(RunBy(what, declared.file, declared.line, declared.text or ""))
