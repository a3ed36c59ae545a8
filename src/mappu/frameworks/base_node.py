"""What the JavaScript frameworks share: their words for the flow engine, and how a service answers errors."""

from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

import msgspec

from mappu.flow.endings import error_names, status_name
from mappu.flow.javascript import language
from mappu.flow.values import Origin
from mappu.flow.words import Errors, Words
from mappu.frameworks import base_storage_javascript as storage
from mappu.frameworks.base import Service, Taken
from mappu.frameworks.base_words import casting, errors_of, house_rules, running, vocabularies_of
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.base_types_javascript import of_request
from mappu.vocabularies.shape import Vocabulary

LANGUAGE = "javascript"
STATUS_MEMBERS = frozenset({"status", "statusCode", "status_code", "httpStatus", "httpCode", "code"})
UNKNOWN = 0

# Functions and classes of well-known packages that make an error with a status: its position, or below nought the status.
HTTP_ERRORS = {
    "http-errors": 0, "http-errors.HttpError": 0, "http-errors.createError": 0,
    **{f"http-errors.{name}": -status for name, status in (
        ("BadRequest", 400), ("Unauthorized", 401), ("Forbidden", 403), ("NotFound", 404), ("Conflict", 409), ("Gone", 410),
        ("UnprocessableEntity", 422), ("TooManyRequests", 429), ("InternalServerError", 500), ("MethodNotAllowed", 405),
        ("NotAcceptable", 406), ("PreconditionFailed", 412), ("PayloadTooLarge", 413), ("UnsupportedMediaType", 415))},
    **{f"@hapi/boom.{name}": -status for name, status in (
        ("badRequest", 400), ("unauthorized", 401), ("forbidden", 403), ("notFound", 404), ("conflict", 409), ("badData", 422))},
}  # fmt: skip
CHECKERS = ("valid", "check", "verify", "ensure", "assert", "sanit", "parse", "guard")


def mine() -> list[Vocabulary]:
    """The vocabularies of this language."""
    return vocabularies_of(LANGUAGE)


def words(
    service: Service, mapped: Callable[[Target | None, int | None], int | None], errors: Mapping[str, int], **own: Any
) -> Words:
    """Return the words of a JavaScript framework; `own` are those it has itself."""
    reader, program = service.reader, service.program
    used = mine()

    defaults: dict[str, Any] = {
        "request_types": frozenset(), "broken": {}, "answers": {}, "status_member": "statusCode", "sends": True,
        "status_members": STATUS_MEMBERS, "dumps": frozenset({"toObject", "toJSON"}),
    }  # fmt: skip
    return Words(
        language=language, errors={**HTTP_ERRORS, **errors}, mapped=mapped,
        runs=running(reader, used), casts=casting(reader, used),
        known_errors=known_errors(),
        is_entity=lambda target: storage.is_entity(program, target), stores=storage.STORES, stages=frozenset(),
        commits=frozenset(), plain_stores=storage.PLAIN_STORES, storage_packages=storage.PACKAGES,
        storage_names=storage.NAMES, queries=storage.QUERIES, lookups=storage.LOOKUPS, keyed=storage.KEYED,
        asking_keys=storage.ASKING_KEYS, row_keys=storage.ROW_KEYS, checkers=CHECKERS,
        house=house_rules(service.settings.rule), **{**defaults, **own},
    )  # fmt: skip


def by_type(service: Service, function: n.Function, scope: Scope) -> Iterator[Taken]:
    """What the type of a request parameter says of its body and query: names only, as nothing checks a type."""
    for param in function.params:
        for place, shape in of_request(service.reader, param.type, scope).items():
            yield Taken(place, "", shape, False, service.place(param, scope), Origin(place))


def known_errors() -> Errors:
    """The error classes of the language and of the ways to write rules, with what each inherits from."""
    return errors_of(language, mine())


def _names(expr: n.Expr) -> set[str]:
    return {x.id for x in walk(expr) if isinstance(x, n.Name)}


class Answer(msgspec.Struct, frozen=True):
    """How one branch of an error handler answers: the errors it is for (by full name, or by last name alone; none is all), and
    the status: a number, 0 where it cannot be told, or None where the error brings its own (`otherwise` where it has none)."""

    names: tuple[str, ...]
    status: int | None
    otherwise: int = 500
    # Only for errors that bring a status of their own.
    if_own: bool = False


class ErrorAnswers:
    """How a service answers errors: by the functions it registered for that, else as the framework does by itself."""

    def __init__(self, program: Program, handlers: Iterable[tuple[n.Function, Scope]], default: Answer) -> None:
        self.program = program
        self.known = known_errors()
        self.answers = [a for function, scope in handlers for a in self._read(function, scope)]
        self.answers.append(default)

    def __call__(self, target: Target | None, own: int | None) -> int | None:
        """The status that an error is answered with, None where it is none of the client's."""
        names = set(error_names(self.program, self.known, target)) if target is not None else {self.known.top}
        last = {x.rpartition(".")[2] for x in names}
        for answer in self.answers:
            if answer.names and names.isdisjoint(answer.names) and last.isdisjoint(answer.names):
                continue
            if answer.if_own and own is None:
                continue
            if own is None and not answer.names and self._is_strange(target):
                return UNKNOWN
            if answer.status is not None:
                return answer.status
            return own if own is not None and 300 <= own < 600 else answer.otherwise
        return None

    def _is_strange(self, target: Target | None) -> bool:
        """True for an error of a package that is not at hand, which may well bring a status of its own."""
        return target is not None and target.scope is None and target.name not in self.known.parents

    def _read(self, function: n.Function, scope: Scope) -> list[Answer]:
        error = function.params[0].name if function.params else ""
        if len(function.params) >= 4:
            error = function.params[-4].name
        inner = self.program.scope_of(function, scope)
        found: list[Answer] = []
        self._body(function.body, error, inner, (), found)
        return found

    def _body(
        self, body: Iterable[n.Stmt], error: str, scope: Scope, names: tuple[str, ...], found: list[Answer]
    ) -> bool:
        """Take the answers of a body; True where one was found for all that gets there."""
        for stmt in body:
            if isinstance(stmt, n.If):
                asked = self._asked(stmt.test, error, scope)
                inner: list[Answer] = []
                self._body(stmt.then, error, scope, asked or names, inner)
                if not asked:
                    inner = [self._vague(stmt.test, error, a) for a in inner if error in _names(stmt.test)]
                found.extend(inner)
                if self._body(stmt.other, error, scope, names, found):
                    return True
                continue
            if isinstance(stmt, n.Switch):
                for case in stmt.cases:
                    texts = tuple(str(p.value) for p in case.patterns if isinstance(p, n.Literal))
                    self._body(case.body, error, scope, texts or names, found)
                continue
            status = self._status(stmt, error, scope)
            if status is not None:
                code, otherwise = status
                found.append(Answer(names, code, otherwise))
                return True
        return False

    def _vague(self, test: n.Expr, error: str, answer: Answer) -> Answer:
        """An answer below a condition on the error that is not its class: for those that bring a status, or for any."""
        members = {x.name for x in walk(test) if isinstance(x, n.Member) and dotted(x.value) == error}
        if members and members <= STATUS_MEMBERS | {"isOperational", "expose"}:
            return msgspec.structs.replace(answer, if_own=True)
        return msgspec.structs.replace(answer, status=UNKNOWN)

    def _asked(self, test: n.Expr, error: str, scope: Scope) -> tuple[str, ...]:
        """The error classes that a condition asks for."""
        if isinstance(test, n.Binary) and test.op in ("or", "and"):
            return (*self._asked(test.left, error, scope), *self._asked(test.right, error, scope))
        if isinstance(test, n.Binary) and test.op == "is-a" and dotted(test.left) == error:
            named = self.program.name_of(test.right, scope) or dotted(test.right)
            return (named,) if named else ()
        if isinstance(test, n.Binary) and test.op == "==" and isinstance(test.right, n.Literal):
            if dotted(test.left) in (f"{error}.name", f"{error}.constructor.name"):
                return (str(test.right.value),)
        if isinstance(test, n.Member) and dotted(test.value) == error and test.name in ("isJoi", "isCelebrate"):
            return ("ValidationError",)
        if isinstance(test, n.Call) and test.positional and dotted(test.positional[0]) == error:
            # `isHttpError(err)`, `isCelebrateError(err)`: told by the package.
            return (self.program.name_of(test.func, scope) or "?",)
        return ()

    def _status(self, stmt: n.Stmt, error: str, scope: Scope) -> tuple[int | None, int] | None:
        """The status that a statement answers with: (number or None for the error's own, what it is otherwise)."""
        for node in walk(stmt):
            if isinstance(node, n.Function):
                continue
            code: n.Expr | None = None
            if isinstance(node, n.Call) and isinstance(node.func, n.Member):
                if node.func.name in ("status", "code", "sendStatus", "writeHead") and node.positional:
                    code = node.positional[0]
                elif (
                    node.func.name == "json"
                    and len(node.positional) > 1
                    and not isinstance(node.positional[1], n.Entries)
                ):
                    code = node.positional[1]
            elif isinstance(node, n.Assign) and isinstance(node.targets[0], n.Member):
                if node.targets[0].name in ("status", "statusCode") and dotted(node.targets[0].value) != error:
                    code = node.value
            if code is not None:
                return self._code(code, error, scope)
        return None

    def _code(self, code: n.Expr, error: str, scope: Scope) -> tuple[int | None, int]:
        found = self.program.constant(code, scope)
        if found is not None and isinstance(found.value, int):
            return found.value, 500
        named = status_name(code)
        if named is not None:
            return named, 500
        followed = self.program.value(code, scope) if isinstance(code, n.Name) else None
        value, holder = followed if followed is not None else (code, scope)
        members = [x for x in walk(value) if isinstance(x, n.Member) and x.name in STATUS_MEMBERS]
        if isinstance(value, n.Name) and value.id in STATUS_MEMBERS:
            # Taken out of the error before.
            return None, 500
        if members or (isinstance(code, n.Name) and code.id in STATUS_MEMBERS):
            constants = [self.program.constant(x, holder) for x in walk(value) if isinstance(x, n.Literal)]
            numbers = [c.value for c in constants if c is not None and isinstance(c.value, int) and c.value >= 400]
            return None, numbers[-1] if numbers else 500
        return UNKNOWN, 500
