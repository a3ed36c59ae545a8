"""What a FastAPI route takes: the parameters of the handler and of everything it depends on, by FastAPI's own rules."""

import re

import msgspec

from mappu.flow.values import Origin
from mappu.flow.words import Entry
from mappu.frameworks.base import Route, Service, Taken, Taking
from mappu.frameworks.fastapi.signatures import Bound, Signatures
from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import own
from mappu.vocabularies.pydantic import models
from mappu.vocabularies.pydantic import vocabulary as pydantic
from mappu.vocabularies.shape import Rule, Shape

MAX_DEPENDENCIES = 60
_SECURITY = ("fastapi.security.", "fastapi_users.", "fastapi.openapi.")
# The form the framework's own password login reads.
_LOGIN_FORMS = frozenset({"fastapi.security.OAuth2PasswordRequestForm", "fastapi.security.OAuth2PasswordRequestFormStrict",
                          "fastapi.security.oauth2.OAuth2PasswordRequestForm"})  # fmt: skip
_LOGIN_FIELDS = (("grant_type", False), ("username", True), ("password", True), ("scope", False), ("client_id", False),
                 ("client_secret", False))  # fmt: skip


class _Collector:
    """Goes through a route's functions in the order they run."""

    def __init__(self, service: Service, route: Route, signatures: Signatures) -> None:
        self.service, self.route, self.program = service, route, service.program
        self.signatures = signatures
        self.path_names = {m.partition(":")[0] for m in re.findall(r"{([^{}]*)}", route.path)}
        self.bound: list[Bound] = []
        self.entries: list[Entry] = []
        self.done: dict[int, int] = {}

    # --- dependencies -------------------------------------------------------------------------------------------------

    def depend(self, expr: n.Expr, scope: Scope) -> int | None:
        """Read a dependency (the callable inside `Depends(…)`); return the number of its entry."""
        if len(self.entries) > MAX_DEPENDENCIES:
            return None
        target = self._callable(expr, scope)
        if target is None:
            self.service.note(expr, scope, f"the dependency `{scope.module.text(expr)}` could not be followed")
            return None
        node = target.node
        if isinstance(node, n.Function) and target.scope is not None:
            return self.function(node, target.scope)
        if isinstance(node, n.Class):
            return self._class(target)
        if target.name in _LOGIN_FORMS:
            self._login_form(expr, scope)
        elif not target.name.startswith(_SECURITY):
            self.service.note(expr, scope, f"the dependency `{target.name}` is not in the scanned source")
        return None

    def _callable(self, expr: n.Expr, scope: Scope, steps: int = 0) -> Target | None:
        """What is called for a dependency: a function, a class, an instance with `__call__`, a function that returns one."""
        if isinstance(expr, n.Function):
            return Target("", expr, scope)
        if steps > 10:
            return None
        if isinstance(expr, n.Call):
            made = self.program.resolve(expr.func, scope)
            if made is None or not isinstance(made.node, n.Function | n.Class):
                return made
            if isinstance(made.node, n.Class):
                return self.program.member(made, "__call__")
            assert made.scope is not None
            inner = self.program.scope_of(made.node, made.scope)
            for node in own(*made.node.body):
                if isinstance(node, n.Leave) and node.kind == "return" and node.value is not None:
                    found = self._callable(node.value, inner, steps + 1)
                    if found is not None:
                        return found
            return None
        target = self.program.resolve(expr, scope)
        if target is not None and isinstance(target.node, n.Assign | n.Variable) and target.node.value is not None:
            assert target.scope is not None
            return self._callable(target.node.value, target.scope, steps + 1)
        return target

    def _class(self, target: Target) -> int | None:
        if pydantic.is_model(self.service.reader, target):
            self._model_class(target)
            return None
        init = self.program.member(target, "__init__")
        if init is not None and isinstance(init.node, n.Function) and init.scope is not None:
            return self.function(init.node, init.scope)
        return None

    def _model_class(self, target: Target) -> None:
        """A model used as a dependency: its fields become parameters with their types and limits, which the binder
        checks. Its validator methods run when the model is made, outside the binder: a failure there is a 5xx."""
        shape = models.of_class(self.signatures.context, target)
        for field in shape.fields:
            place: PlaceIn = "path" if field.name in self.path_names else "query"
            rules = tuple(
                msgspec.structs.replace(r, breaks=_MODEL_DEPENDS, mend="parameter-model") if r.kind == "custom" else r
                for r in field.shape.rules
            )
            origin = Origin(place, (field.name,))
            self.bound.append(Bound(place, field.name, field.wire, field.shape.with_(rules=rules), field.required,
                                    field.declared, origin, field.default, explicit=False))  # fmt: skip

    def _login_form(self, expr: n.Expr, scope: Scope) -> None:
        place = self.service.place(expr, scope)
        for name, required in _LOGIN_FIELDS:
            rules = (Rule("pattern", "^password$", place),) if name == "grant_type" else ()
            shape = Shape("string", nullable=not required, rules=rules)
            self.bound.append(Bound("form", name, name, shape, required, place, Origin("form", (name,)), None, True))

    # --- parameters ---------------------------------------------------------------------------------------------------

    def function(self, function: n.Function, scope: Scope) -> int:
        """Take over one function's parameters; what it depends on comes before it. Each function is run once a request."""
        if id(function) in self.done:
            return self.done[id(function)]
        self.done[id(function)] = -1
        signature = self.signatures.read(function, scope, self.path_names)
        data, types = dict(signature.data), dict(signature.types)
        earlier: dict[str, int] = {}
        for needed in signature.depends:
            number = self.depend(needed.expr, needed.scope)
            if number is not None and number >= 0:
                earlier[needed.name] = number
            elif number is None and needed.is_model:
                data[needed.name] = Origin("query")
        self.bound.extend(signature.bound)
        if isinstance(scope.owner, n.Class):
            self._class_dependencies(scope)
        self.entries.append(Entry(function, scope, data, types, signature.requests, earlier, signature.wrappers))
        self.done[id(function)] = len(self.entries) - 1
        return len(self.entries) - 1

    def _class_dependencies(self, scope: Scope) -> None:
        """Dependencies declared as members of a class whose methods are handlers."""
        assert isinstance(scope.owner, n.Class)
        for stmt in scope.owner.body:
            if isinstance(stmt, n.Variable):
                depends = self.signatures.depends(stmt.value, scope)
                if depends is not None and depends.positional:
                    given = depends.positional[0]
                    # `user: str = Depends(user)`: the name on the right is still the one outside the class.
                    outer = isinstance(given, n.Name) and given.id == stmt.name and scope.parent is not None
                    self.depend(given, scope.parent if outer and scope.parent is not None else scope)

    # --- the whole ----------------------------------------------------------------------------------------------------

    def taking(self) -> Taking:
        """Return everything taken, bodies told apart by name where there are several."""
        bodies = {b.wire: b for b in self.bound if b.place == "body"}
        forms = [b for b in self.bound if b.place == "form"]
        first = next(iter(bodies.values()), None)
        keyed = len(bodies) > 1 or bool(forms) or (first is not None and first.embed)
        one_form = len({b.wire for b in forms}) == 1 and not bodies and bool(forms[0].shape.fields)
        taken = []
        seen: set[tuple[str, str]] = set()
        for b in self.bound:
            place: PlaceIn = "form" if b.place == "body" and forms else b.place
            whole = b.model or (b.place == "body" and not keyed) or (b.place == "form" and one_form)
            key = (place, "" if whole else b.wire)
            if key in seen and not (whole and b.model):
                continue
            seen.add(key)
            shape = b.shape
            if place == "form":
                shape = shape.with_(needs=(*shape.needs, ("python-multipart", b.declared)))
            taken.append(Taken(place, "" if whole else b.wire, shape, b.required, b.declared, b.origin, b.default))
        return Taking(tuple(taken), tuple(self.entries))


_MODEL_DEPENDS = "a model used as a dependency is built outside the request binder: its ValidationError is a 5xx"


def takes(service: Service, route: Route, signatures: Signatures) -> Taking:
    """Return what a route takes, and the functions that run on it in order."""
    assert isinstance(route.handler, n.Function)
    collector = _Collector(service, route, signatures)
    for dependency in route.before:
        call = signatures.depends(dependency.expr, dependency.scope)
        if call is not None and call.argument(0, "dependency") is not None:
            collector.depend(call.argument(0, "dependency") or call, dependency.scope)
    collector.function(route.handler, route.scope)
    for bound in collector.bound:
        service.unfollowed.extend(u for u in bound.shape.unfollowed if u not in service.unfollowed)
    return collector.taking()
