"""echo: handlers that give their errors back, a binder that runs no rules, and a validator that has to be set."""

from typing import Any
from weakref import WeakKeyDictionary

from mappu.flow.endings import status_name
from mappu.flow.words import Fill, Refer, Reply, RunWord, Words
from mappu.frameworks import base_go
from mappu.frameworks.base import Service
from mappu.frameworks.base_go_handlers import GoFramework
from mappu.frameworks.base_go_sites import ALL, GoRouterWords
from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import walk
from mappu.vocabularies.struct_tags import ERROR, FAILED
from mappu.vocabularies.struct_tags.registered import OWN

_ECHO = "github.com/labstack/echo"
_ERROR = f"{_ECHO}.HTTPError"
# What Validate gives back where nothing was set that validates.
_NONE_SET = f"{_ECHO}.ErrValidatorNotRegistered"
_EVERY = "nothing sets a validator on the instance: every request that comes here"
_BOUND = f"{_ECHO}.BindingError"
_VERBS = {v: v for v in ("GET", "POST", "PUT", "PATCH", "DELETE", "HEAD", "OPTIONS")} | {"Any": ALL}
_PATH: tuple[PlaceIn, str] = ("path", "param")
_QUERY: tuple[PlaceIn, str] = ("query", "query")
_BODY: tuple[PlaceIn, str] = ("body", "json")
_BIND = Fill(
    (_PATH, _BODY), throws=_BOUND, by_method={"GET": (_PATH, _QUERY), "DELETE": (_PATH, _QUERY, _BODY)}
)  # fmt: skip
_GETTERS: dict[str, PlaceIn] = {
    "Param": "path",
    "QueryParam": "query",
    "FormValue": "form",
    "FormFile": "form",
    "Cookie": "cookie",
}
_SENDS = ("JSON", "JSONPretty", "JSONBlob", "JSONP", "String", "HTML", "XML", "XMLPretty", "Blob", "Stream", "NoContent",
          "Render",
          "Redirect")  # fmt: skip
_REPLIES = {**{name: Reply(status=0, makes=True) for name in _SENDS}, "File": Reply(makes=True), "Attachment": Reply(makes=True),
            "Inline": Reply(makes=True), "Response": Reply()}  # fmt: skip
REMEDIES = {
    "refuse": "leave there: `return echo.NewHTTPError(http.StatusBadRequest, …)`",
    "act-on-it": "act on it: `if err != nil { return echo.NewHTTPError(http.StatusBadRequest, …) }`",
    "check-first": "bind first and check after, both above the call that stores",
    "map-error": "give back an error with a 4xx: `return echo.NewHTTPError(http.StatusBadRequest, …)`",
    "refuse-in-rule": "let the function return false instead of panicking",
    "catch-model-error": "give back an error with a 4xx: `return echo.NewHTTPError(http.StatusBadRequest, …)`",
    "catch-read-error": "use the form with two values, and answer a 4xx: `v, ok := x.(string)`",
    "bind-body": "bind it to a struct with `validate` rules: `c.Bind(&req)`, then `c.Validate(&req)`",
    "bind-query": 'bind it with a limit: `query:"{name}" validate:"max=…"`, then `c.Validate(&req)`',
    "bind-header": "check it before it is used: its length, and what it may hold: `{name}`",
    "bind-cookie": "check it before it is used: its length, and what it may hold: `{name}`",
    "bind-path": 'bind it with a limit: `param:"{name}" validate:"uuid"`, then `c.Validate(&req)`',
    "bind-form": "bind it with a limit, and look at a file's size and type before it is used",
    "run-rules": "run them: `if err := c.Validate(&req); err != nil { return echo.NewHTTPError(400, …) }` with {model}",
    "bind-plain-model": "run them: call `c.Validate` on {model} before it is used",
    "parameter-model": "bind it to a struct with `validate` rules",
    "set-validator": "set one at start: `e.Validator = …`, with a method `Validate(any) error`",
    "fit-type": "use a rule that fits the type, or change the type",
    "model-inside": "put `dive` on it: the rules behind it are those of each element",
    "check-type": "bind it to a struct, whose types the binder checks",
    "type-it": "bind it to a struct with `validate` rules",
    "limit-string": "add an upper limit: `max=…`",
    "limit-array": "add an upper limit to the number of its elements: `max=…`",
    "limit-number": "add an upper limit: `max=…`",
    "drop-unlisted": "refuse unknown fields: a decoder with `DisallowUnknownFields()`",
    "start-early": "check it when the service starts, before {name} is needed",
}  # fmt: skip


class Echo(GoFramework):
    """The framework."""

    name = "echo"
    tokens = (f'"{_ECHO}'.encode(),)
    remedies = REMEDIES
    contexts = frozenset({f"{_ECHO}.Context"})
    router_words = GoRouterWords(
        types={f"{_ECHO}.Echo": True, f"{_ECHO}.Group": False}, makers=frozenset({f"{_ECHO}.New"}), verbs=_VERBS,
        named=frozenset({"Add", "Match"}), groups=frozenset({"Group"}), uses=frozenset({"Use", "Pre"}), first=True,
    )  # fmt: skip

    def __init__(self) -> None:
        super().__init__()
        self._validators: WeakKeyDictionary[Service, int | None] = WeakKeyDictionary()

    def words(self, service: Service) -> Words:
        status = validator(service)
        thrown = {None: _NONE_SET, 0: ERROR}.get(status, f"{_ERROR} {status}")

        def runs(call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
            if not isinstance(call.func, n.Member) or call.func.name != "Validate" or len(call.positional) != 1:
                return None
            target = service.program.resolve(call.func, scope)
            if target is None or target.name != f"{_ECHO}.Context.Validate":
                return None
            fault = (_EVERY, "set-validator") if thrown == _NONE_SET else None
            return RunWord(
                call.positional[0], scope, call.positional[0], False, thrown, None, FAILED, frozenset({OWN}), fault
            )

        # One of the service's own may answer anything with anything.
        otherwise = 0 if any(b"HTTPErrorHandler" in s.module.source for s in service.scopes) else None

        def mapped(target: Target | None, own: int | None) -> int | None:
            name = target.name if target is not None else ""
            if name == _BOUND:
                return 400
            given = int(name.split()[1]) if name.startswith(f"{_ERROR} ") else own
            return otherwise if given is None else given

        own: dict[str, Any] = {
            "request": {**base_go.REQUEST, "Request": "request", "QueryParams": "query", "FormParams": "form"},
            "getters": {**base_go.GETTERS, **_GETTERS}, "replies": _REPLIES, "fills": {"Bind": _BIND}, "one_object": True,
            "keeping": {"Set": "keep", "Get": "take"},
            "named_errors": base_go.named_errors(_ECHO),
            "pairs": {"FormFile": "error", "Cookie": "error"}, "uploads": frozenset({"FormFile"}),
            "answers_errors": True, "sends": False, "runs": runs,
        }  # fmt: skip
        return base_go.words(service, mapped, {f"{_ECHO}.NewHTTPError": 0, _ERROR: 0}, **own)


def validator(service: Service) -> int | None:
    """What the validator of a service's instances answers with: a status, 0 where it gives the error back as it is; None where
    none is set."""
    program = service.program
    for scope in service.mentioning(".Validator"):
        for function, holder in program.functions(scope, (b".Validator",)):
            inner = program.scope_of(function, holder)
            for node in walk(*function.body):
                if (
                    isinstance(node, n.Assign)
                    and isinstance(node.targets[0], n.Member)
                    and node.targets[0].name == "Validator"
                ):
                    target = program.resolve(node.targets[0], inner)
                    if target is not None and target.name.startswith(_ECHO):
                        return _status_of(program, node.value, inner)
    return None


def _status_of(program: Program, value: n.Expr, scope: Scope) -> int:
    """The status of the error that a validator's method makes of what it finds."""
    made = program.class_of(Target("", n.Variable(value.span, "", None, value), scope))
    if made is None and isinstance(value, n.Name | n.Member):
        named = program.resolve(value, scope)
        made = program.class_of(named) if named is not None else None
    method = program.member(made, "Validate") if made is not None and made.node is not None else None
    if method is None or not isinstance(method.node, n.Function) or method.scope is None:
        return 0
    inner = program.scope_of(method.node, method.scope)
    for node in walk(*method.node.body):
        if (
            isinstance(node, n.Call)
            and program.name_of(node.func, inner) == f"{_ECHO}.NewHTTPError"
            and node.positional
        ):
            found = program.constant(node.positional[0], inner)
            status = found.value if found is not None else status_name(node.positional[0])
            if isinstance(status, int):
                return status
    return 0


framework = Echo()
