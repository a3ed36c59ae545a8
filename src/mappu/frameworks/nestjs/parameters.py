"""What a controller's method takes, and what runs the rules of each parameter."""

import re
from collections.abc import Callable, Iterator

import msgspec

from mappu.flow.endings import error_names
from mappu.flow.values import Origin
from mappu.flow.words import Entry
from mappu.frameworks import base_node
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_storage_javascript import is_entity
from mappu.frameworks.nestjs.controllers import COMMON, classes
from mappu.frameworks.nestjs.pipes import PARSERS, Pipe, Pipes
from mappu.inventory.model import Place, PlaceIn, RunBy
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.base_types_javascript import arms_of, erased, is_nothing
from mappu.vocabularies.class_validator import vocabulary as class_validator
from mappu.vocabularies.class_validator.classes import Options, Reading
from mappu.vocabularies.class_validator.decorators import PACKAGE, TRANSFORMER
from mappu.vocabularies.shape import Default, Rule, Shape

PLACES: dict[str, PlaceIn] = {"Body": "body", "Query": "query", "Param": "path", "Headers": "header", "UploadedFile": "form",
                              "UploadedFiles": "form", "RawBody": "body"}  # fmt: skip
_REQUESTS = frozenset({"Req", "Request"})
_RESPONSES = frozenset({"Res", "Response"})
_BUILT_IN = frozenset({"String", "Number", "Boolean", "Array", "Object", "string", "number", "boolean", "any", "unknown",
                       "object",
                       "Record", "Map", "Partial", "Pick", "Omit", "Required", "Readonly", "Date"})  # fmt: skip

_SCHEMA_CLASSES = frozenset({"createZodDto", "createZodValidationDto", "zodToDto"})

NO_PIPE = "no validation pipe runs on this route"
NO_START = "what starts the service is not in the scanned source, and a pipe may be bound there"


def takes(service: Service, route: Route, pipes: Pipes) -> Taking:
    """Return what a route's method takes, and the functions that run on it."""
    assert isinstance(route.handler, n.Function)
    program = service.program
    taken: list[Taken] = []
    entries: list[Entry] = []
    data: dict[str, Origin] = {}
    types: dict[str, Target] = {}
    requests, replies = set(), set()
    named: set[str] = set()
    for param in route.handler.params:
        for mark in param.marks:
            full = program.name_of(mark.name, route.scope) or ""
            name = full.removeprefix(COMMON)
            if name in _REQUESTS:
                requests.add(param.name)
            elif name in _RESPONSES:
                replies.add(param.name)
            if full.startswith(COMMON) and name in PLACES:
                found = _bound(service, route, pipes, param, mark, PLACES[name])
                taken.append(found)
                data[param.name] = found.origin
                target = program.class_of(Target(param.name, param, route.scope))
                if target is not None:
                    types[param.name] = target
                if found.place == "path":
                    named |= {found.wire} if found.wire else {f.wire for f in found.shape.fields}
                entries.extend(_pipe_entries(service, route, pipes, param, mark, found))
            elif target_of(service, mark, route.scope) and full and not full.startswith("@"):
                service.note(
                    mark, route.scope, f"what `@{dotted(mark.name)}` takes from the request could not be followed"
                )
    for name in re.findall(r"\{(\w+)\}", route.path):
        if name not in named and not any(t.place == "path" and not t.wire for t in taken):
            handler = service.place(route.handler, route.scope)
            place = Place(handler.file, handler.line, route.path)
            taken.append(Taken("path", name, Shape("string"), True, place, Origin("path", (name,))))
    entries.append(Entry(route.handler, route.scope, data, types, frozenset(requests), {}, replies=frozenset(replies)))
    return Taking(tuple(_distinct(taken)), tuple(entries))


def target_of(service: Service, mark: n.Mark, scope: Scope) -> bool:
    """True for a parameter decorator of the service's own."""
    target = service.program.resolve(mark.name, scope)
    if target is None or target.scope is None:
        return False
    source = target.scope.module.source
    return b"createParamDecorator" in source and any(
        w in source for w in (b".body", b".query", b".params", b".headers[")
    )


def _distinct(taken: list[Taken]) -> list[Taken]:
    """A whole query that is taken twice (once as a model, say) is one."""
    found: dict[tuple[str, str], Taken] = {}
    for each in taken:
        key = (each.place, each.wire)
        if key not in found or (not found[key].shape.fields and each.shape.fields):
            found[key] = each
    return list(found.values())


def _bound(service: Service, route: Route, pipes: Pipes, param: n.Param, mark: n.Mark, place: PlaceIn) -> Taken:
    program, scope = service.program, route.scope
    declared = service.place(param, scope)
    args = mark.as_call().positional
    first = program.text(args[0], scope) if args else None
    wire = first or ""
    if place == "header":
        wire = wire.lower()
    if place == "form":
        # One file, or all of them; the interceptor says under which name.
        wire = _file_field(service, route) or param.name
        return Taken(place, wire, Shape("file"), False, declared, Origin(place, ("file",)))
    origin = Origin(place, (wire,) if wire else ())
    given = [p for a in (args[1:] if first is not None else args) for p in pipes.pipe(a, scope)]
    parser = next((p for p in given if p.target.name.removeprefix(COMMON) in PARSERS), None)
    defaulted = next((p for p in given if p.target.name == COMMON + "DefaultValuePipe"), None)
    if parser is not None:
        shape, required = _parsed(service, pipes, parser)
        default = _default(service, defaulted) if defaulted is not None else None
        return Taken(place, wire, shape, (required and default is None) or place == "path", declared, origin, default)
    shape = _typed(service, route, pipes, param, given)
    if place == "path" and wire and shape.type == "any":
        shape = shape.with_(type="string")
    return Taken(place, wire, shape, (place == "path" and bool(wire)) or bool(shape.fields), declared, origin)


def _file_field(service: Service, route: Route) -> str | None:
    """The name under which `FileInterceptor("photo")` takes its file."""
    assert isinstance(route.handler, n.Function)
    for mark in route.handler.marks:
        for arg in mark.args or ():
            value = arg.value
            if isinstance(value, n.Call) and (dotted(value.func) or "").endswith(
                ("FileInterceptor", "FilesInterceptor")
            ):
                return service.program.text(value.positional[0], route.scope) if value.positional else None
    return None


def _default(service: Service, pipe: Pipe) -> Default:
    given = pipe.made.positional[0] if pipe.made is not None and pipe.made.positional else None
    constant = service.program.constant(given, pipe.scope) if given is not None else None
    return Default(constant is not None, constant.value if constant is not None else None, pipe.place)


def _parsed(service: Service, pipes: Pipes, pipe: Pipe) -> tuple[Shape, bool]:
    """What a pipe that looks at one value lets through."""
    name = pipe.target.name.removeprefix(COMMON)
    type_, format_, closed = PARSERS[name]
    program = service.program
    rules: list[Rule] = []
    if format_ is not None:
        rules.append(Rule("format", format_, pipe.place))
    options, scope = pipe.entries(service)
    if name == "ParseEnumPipe" and pipe.made is not None and pipe.made.positional:
        given = pipe.made.positional[0]
        elements = program.elements(n.Call(given.span, n.Member(given.span, given, "values"), ()), pipe.scope)
        values = [program.constant(e, s) for e, s in elements]
        known = bool(values) and None not in values
        listed: object = [v.value for v in values if v is not None] if known else pipe.scope.module.text(given)
        rules.append(Rule("enum", listed, pipe.place, known=known))
        options, scope = pipe.entries(service, 1)
    items = None
    if name == "ParseArrayPipe":
        items = Shape()
        if "items" in options:
            items = class_validator.shape(service.reader, options["items"], scope)
            plain = {"String": "string", "Number": "number", "Boolean": "boolean"}.get(dotted(options["items"]) or "")
            items = Shape(plain) if plain is not None else items  # type: ignore[arg-type]
    optional = program.constant(options["optional"], scope) if "optional" in options else None
    shape = Shape(type_, closed=closed, rules=tuple(rules), items=items, nullable=False)
    return shape, not (optional is not None and optional.value is True)


def applied(service: Service, route: Route, pipes: Pipes, given: list[Pipe]) -> list[Pipe]:
    """The pipes that run on a parameter: those of the whole service, of its class, of its method, its own."""
    assert isinstance(route.handler, n.Function)
    found = list(pipes.everywhere)
    owner, around = route.scope.owner, route.scope.parent
    if isinstance(owner, n.Class) and around is not None:
        found.extend(pipes.of_marks(owner.marks, around))
    found.extend(pipes.of_marks(route.handler.marks, route.scope))
    return [*found, *given]


def _typed(service: Service, route: Route, pipes: Pipes, param: n.Param, given: list[Pipe]) -> Shape:
    """The shape of a parameter by its type, as the pipes on it see that type when the service runs."""
    program, scope = service.program, route.scope
    type_ = param.type
    running = next((p for p in applied(service, route, pipes, given) if pipes.validation(p)), None)
    options = pipes.options(running) if running is not None else Options()
    if isinstance(type_, n.Binary) and type_.op == "|":
        arms = [a for a in arms_of(type_, "|") if not is_nothing(a)]
        # More than one type is none at all when the service runs.
        type_ = arms[0] if len(arms) == 1 else None
    if isinstance(type_, n.Index):
        return _wrapped(service, route, type_, options)
    if not isinstance(type_, n.Name | n.Member):
        return Shape()
    target = program.resolve(type_, scope)
    if target is None or target.scope is None or not isinstance(target.node, n.Class):
        return erased(service.reader, type_, scope)
    if target.node.form != "class":
        return erased(service.reader, type_, scope)
    schema = _schema_class(service, route, pipes, target, given)
    if schema is not None:
        return schema
    reading = Reading(service.reader, options)
    ours = reading.is_model(target)
    entity = is_entity(program, target)
    if not ours and not entity:
        return erased(service.reader, type_, scope)
    shape = reading.of_class(target)
    if entity:
        shape = shape.with_(entity=True)
    if not ours:
        # Its columns say what storage holds; no rule looks at the request.
        bare = tuple(msgspec.structs.replace(f, shape=Shape(), required=False) for f in shape.fields)
        return shape.with_(fields=bare, skipped="the class declares columns and no rules for the request")
    skipped = None
    if _only_type(type_, scope):
        skipped = "it is imported as a type only: when the service runs nothing knows the class"
    elif running is None:
        skipped = NO_PIPE if pipes.starts else NO_START
        if not pipes.starts:
            # Whether fields nobody declared are kept is as little known.
            shape = shape.with_(extra="ignore")
    needs = tuple((p, service.place(param, scope)) for p in (PACKAGE, TRANSFORMER)) if running is not None else ()
    return shape.with_(skipped=skipped, needs=needs)


def _schema_class(service: Service, route: Route, pipes: Pipes, target: Target, given: list[Pipe]) -> Shape | None:
    """A class made from a schema (`class X extends createZodDto(schema)`), which a pipe of the same package runs."""
    assert isinstance(target.node, n.Class)
    assert target.scope is not None
    for base in target.node.bases:
        call = base.value
        if not isinstance(call, n.Call) or not call.positional or (dotted(call.func) or "") not in _SCHEMA_CLASSES:
            continue
        for vocabulary in base_node.mine():
            shape = vocabulary.shape(service.reader, call.positional[0], target.scope)
            if shape.known and shape.fields:
                shape = shape.with_(model=target.name.rpartition(".")[2])
                running = any(_runs_schemas(p) for p in applied(service, route, pipes, given))
                return shape if running else shape.with_(skipped="no pipe that runs schemas is on this route")
    return None


def _runs_schemas(pipe: Pipe) -> bool:
    return pipe.target.name.rpartition(".")[2] in ("ZodValidationPipe", "JoiPipe", "YupPipe", "TypeboxPipe")


def _wrapped(service: Service, route: Route, type_: n.Index, options: Options) -> Shape:
    """A list, or a type made of a class: the class is gone when the service runs."""
    name = dotted(type_.value) or ""
    inner = type_.index.items[0] if isinstance(type_.index, n.Items) and type_.index.items else type_.index
    target = service.program.resolve(inner, route.scope) if isinstance(inner, n.Name | n.Member) else None
    shape = Shape()
    if target is not None and isinstance(target.node, n.Class) and target.node.form == "class":
        reading = Reading(service.reader, options)
        if reading.is_model(target):
            shape = reading.of_class(target)
    if name == "Array":
        why = "the pipe sees a plain list and looks at none of its elements"
        return Shape("array", items=shape, skipped=why) if shape.fields else erased(service.reader, type_, route.scope)
    if shape.fields and name in _BUILT_IN:
        return shape.with_(skipped=f"{name}<…> is no class when the service runs: the pipe sees a plain object")
    return erased(service.reader, type_, route.scope)


def _only_type(type_: n.Expr, scope: Scope) -> bool:
    """True for a name that is imported for the compiler alone."""
    top = scope
    while top.parent is not None:
        top = top.parent
    bound = top.names.get((dotted(type_) or "").partition(".")[0], ())
    return any(isinstance(b, n.Import) and b.only_type for b in bound)


# --- what runs --------------------------------------------------------------------------------------------------------


def runs(service: Service, route: Route, taken: Taken, pipes: Pipes) -> Ran:
    """Tell what runs the rules of a parameter."""
    assert isinstance(route.handler, n.Function)
    param, mark = _param(service, route, taken)
    if param is None or mark is None or taken.place == "form":
        return Ran(None)
    scope = route.scope
    args = mark.as_call().positional
    given = [p for a in args for p in pipes.pipe(a, scope)]
    parser = next((p for p in given if p.target.name.removeprefix(COMMON) in PARSERS), None)
    if parser is not None:
        return Ran(_run_by("parsing pipe", parser))
    if taken.shape.skipped == NO_START:
        return Ran(None, "unknown", NO_START)
    if taken.shape.skipped is not None:
        return Ran(None, "idle", taken.shape.skipped)
    on_the_way = applied(service, route, pipes, given)
    running = next((p for p in on_the_way if pipes.validation(p) or _runs_schemas(p)), None)
    if running is None or not taken.shape.fields or taken.shape.erased:
        return Ran(None)
    return Ran(_run_by("validation pipe", running))


def _run_by(what: str, pipe: Pipe) -> RunBy:
    return RunBy(what, pipe.place.file, pipe.place.line, pipe.place.text or "")


def _param(service: Service, route: Route, taken: Taken) -> tuple[n.Param | None, n.Mark | None]:
    assert isinstance(route.handler, n.Function)
    for param in route.handler.params:
        if service.place(param, route.scope) == taken.declared:
            for mark in param.marks:
                name = (service.program.name_of(mark.name, route.scope) or "").removeprefix(COMMON)
                if name in PLACES:
                    return param, mark
    return None, None


def _pipe_entries(
    service: Service, route: Route, pipes: Pipes, param: n.Param, mark: n.Mark, taken: Taken
) -> Iterator[Entry]:
    """Pipes of the service's own, walked with the value they are given."""
    program = service.program
    given = [p for a in mark.as_call().positional for p in pipes.pipe(a, route.scope)]
    for pipe in applied(service, route, pipes, given):
        node = pipe.target.node
        if not isinstance(node, n.Class) or pipe.target.scope is None or pipes.validation(pipe):
            continue
        method = next((m for m in node.methods if m.name == "transform"), None)
        if method is None or not method.params:
            continue
        inner = program.scope_of(node, pipe.target.scope)
        yield Entry(
            method, inner, {method.params[0].name: taken.origin}, {}, frozenset(), {}, members=_members(node, pipe)
        )


def _members(node: n.Class, pipe: Pipe) -> dict[str, tuple[n.Expr, Scope]]:
    """What the members of a pipe were made with."""
    made = next((m for m in node.methods if m.name == "constructor"), None)
    given = pipe.made.positional if pipe.made is not None else ()
    if made is None:
        return {}
    found: dict[str, tuple[n.Expr, Scope]] = {}
    for param, value in zip(made.params, given, strict=False):
        found[param.name] = (value, pipe.scope)
        for stmt in made.body:
            if (
                isinstance(stmt, n.Assign)
                and dotted(stmt.value) == param.name
                and isinstance(stmt.targets[0], n.Member)
            ):
                found[stmt.targets[0].name] = (value, pipe.scope)
    return found


# --- what answers errors ----------------------------------------------------------------------------------------------


def filters(service: Service) -> Callable[[Target | None], int | None]:
    """Return what tells the status that the service's own exception filters answer an error with."""
    program = service.program
    answers: list[base_node.Answer] = []
    for scope in service.scopes:
        if b"@Catch(" not in scope.module.source:
            continue
        for class_ in classes(scope):
            mark = next((m for m in class_.marks if program.name_of(m.name, scope) == COMMON + "Catch"), None)
            method = next((m for m in class_.methods if m.name == "catch"), None)
            if mark is None or method is None:
                continue
            names = tuple(program.name_of(a.value, scope) or "?" for a in mark.args or ())
            inner = program.scope_of(class_, scope)
            found = base_node.ErrorAnswers(program, [(method, inner)], base_node.Answer(("?",), 500)).answers[:-1]
            status = found[0].status if found else 0
            answers.append(base_node.Answer(names, status if names else None))
    known = base_node.known_errors()

    def status_of(target: Target | None) -> int | None:
        if target is None:
            return None
        names = set(error_names(program, known, target))
        for answer in answers:
            if answer.names and not names.isdisjoint(answer.names):
                return answer.status if answer.status is not None else 0
        return None

    return status_of
