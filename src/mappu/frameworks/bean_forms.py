"""Forms drawn by the server: a binder writes what the browser sends to it into the properties of a bean.

Which of a bean's rules a binding runs was tried with flow-data 24.5: those of the property, where it is bound by its name and
the binder is the one for beans; none for a pair of accessors, none of a plain binder, none of the class as a whole. A
member that names a property inside another is bound to nothing.
"""

import re
from collections.abc import Iterable, Iterator, Mapping

import msgspec

from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_java import Marked, classes, joined
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.inventory.model import ConstraintKind, RunBy
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.shape import Rule, Shape

_DATA = ("com.vaadin.flow.data.binder.", "com.vaadin.data.")
_CHECKING = frozenset(f"{p}BeanValidationBinder" for p in _DATA)
_PLAIN = frozenset(f"{p}Binder" for p in _DATA)
_VIEW = ("com.vaadin.flow.router.Route",)
_NAMED = ("com.vaadin.flow.data.binder.PropertyId", "com.vaadin.annotations.PropertyId")
# Validators put on a binding by hand, with the rule that each of their arguments is, in order.
_VALIDATORS: Mapping[str, tuple[ConstraintKind | None, ...]] = {
    "StringLengthValidator": (None, "minLength", "maxLength"), "RegexpValidator": (None, "pattern"),
    **{f"{x}RangeValidator": (None, "minimum", "maximum") for x in ("Integer", "Long", "Double", "Float", "Short", "BigDecimal")},
}  # fmt: skip
_FORCED = "`writeBeanAsDraft(…, true)` writes what they turn away as well"
_ACCESSORS = "it is bound by a pair of accessors; only a binding by the property's name runs them"
_NO_RULES = "a plain Binder runs no rule of the bean; a BeanValidationBinder does, for what is bound by name"


class Form(msgspec.Struct, frozen=True, eq=False):
    """One binder of a view: its variable, the bean that it writes, and the calls made on it, each with those it is chained to."""

    binder: n.Variable
    bean: Target
    checks: bool
    calls: tuple[tuple[n.Call, ...], ...]


class Forms(Marked):
    """The forms of one service."""

    def routes(self) -> Iterator[Route]:
        for class_, scope in classes(self.service, BeanForms.tokens):
            inner = self.program.scope_of(class_, scope)
            view = self.find(class_.marks, scope, _VIEW)
            names = self.texts(view.args[0].value, scope) if view is not None and view.args else []
            for form in self.forms(class_, inner):
                path = joined(names[0]) if names else f"{scope.module.path}#{class_.name}"
                # A view may hold several forms; the one that is called what most are needs no name of its own.
                shown = (
                    path if form.binder.name == "binder" else f"{path}{'.' if '#' in path else '#'}{form.binder.name}"
                )
                yield Route("bean-forms", "form", "FORM", shown, class_, inner, f"{class_.name}.{form.binder.name}")

    def forms(self, class_: n.Class, scope: Scope) -> Iterator[Form]:
        """The binders of a class that something is bound to."""
        inside = list(walk(*(m for m in class_.body if not isinstance(m, n.Class))))
        chains = [c for x in inside if isinstance(x, n.Call) and (c := _chain(x))]
        assigned = [(_own_name(t), x.value) for x in inside if isinstance(x, n.Assign) for t in x.targets]
        variables: list[n.Variable | n.Param] = [x for x in inside if isinstance(x, n.Variable)]
        variables.extend(p for x in inside if isinstance(x, n.Function) for p in x.params)
        for variable in variables:
            values = [v for name, v in assigned if name == variable.name]
            if isinstance(variable, n.Variable) and variable.value is not None:
                values.append(variable.value)
            made = next((v for v in values if isinstance(v, n.Call)), None)
            kind = self._name(made.func, scope) if made is not None else ""
            if not {kind, self._name(variable.type, scope)} & (_CHECKING | _PLAIN):
                continue
            calls = tuple(c for c in chains if _root(c[0]) == variable.name)
            if not any(_last(c).startswith("bind") for c in calls):
                continue
            named = variable.type.index if isinstance(variable.type, n.Index) else None
            bean = self.program.resolve(named or next(iter(made.positional if made is not None else ()), None), scope)
            if isinstance(variable, n.Param) or kind not in (_CHECKING | _PLAIN):
                self.service.note(
                    variable, scope, "the binder of a form is made elsewhere: what it runs could not be followed"
                )
            elif bean is None or not isinstance(bean.node, n.Class):
                self.service.note(variable, scope, "the bean that a form writes could not be followed")
            else:
                yield Form(variable, bean, kind in _CHECKING, calls)

    def takes(self, route: Route) -> Taking:
        """Every property that something in the form is bound to, once."""
        class_, scope = route.handler, route.scope
        assert isinstance(class_, n.Class)
        form = next(f for f in self.forms(class_, scope) if route.symbol.endswith(f".{f.binder.name}"))
        taken: dict[str, Taken] = {}
        for chain in form.calls:
            call, last = chain[-1], _last(chain)
            args = call.positional[1:] if len(chain) == 1 else call.positional
            if last == "bind" and args:
                name = self._property(args[0], scope)
                if name is None:
                    self.service.note(call, scope, "the property that a form field is bound to could not be followed")
                    continue
                by_name = self.program.text(args[0], scope) is not None
                taken[name] = self._taken(form, name, call, chain, None if by_name else _ACCESSORS, scope)
        if any(_last(c) == "bindInstanceFields" and dotted((*c[-1].positional, None)[0]) == "this" for c in form.calls):
            for name, member in self._members(class_, scope, form):
                # What is said of a member in front of the binding: the longest of the chains that begin with it.
                said = [c for c in form.calls if _field(c[0]) == member.name and _last(c[:1]) == "forMemberField"]
                taken.setdefault(name, self._taken(form, name, member, max(said, key=len, default=()), None, scope))
        return Taking(tuple(t for t in taken.values() if t.shape.known), ())

    def _members(self, class_: n.Class, scope: Scope, form: Form) -> Iterator[tuple[str, n.Variable]]:
        """The members of a view that are bound because they are called as a property is, or say which."""
        known = Reading(self.service.reader).properties(form.bean)
        bound = {_field(c[0]) for c in form.calls if _last(c).startswith("bind")}
        for member in class_.body:
            if isinstance(member, n.Variable) and member is not form.binder and member.name not in bound:
                mark = self.find(member.marks, scope, _NAMED)
                said = self.texts(mark.args[0].value, scope) if mark is not None and mark.args else [member.name]
                if said and said[0] in known:
                    yield said[0], member

    def _property(self, given: n.Expr, scope: Scope) -> str | None:
        """The property that a text, a reference to its getter, or a function that calls it names."""
        text = self.program.text(given, scope)
        if text is not None:
            return text
        if isinstance(given, n.Function):
            read = [x.func for x in walk(*given.body) if isinstance(x, n.Call) and not x.args]
            given = read[0] if len(read) == 1 else given
        name = given.name if isinstance(given, n.Member) else ""
        bare = name.removeprefix("get").removeprefix("is") if name[:3] == "get" or name[:2] == "is" else name
        return bare[:1].lower() + bare[1:] or None

    def _taken(
        self, form: Form, name: str, at: n.Node, chain: tuple[n.Call, ...], why: str | None, scope: Scope
    ) -> Taken:
        place = self.service.place(at, scope)
        shape = self._shape(form.bean, name.split("."))
        why = _NO_RULES if not form.checks else why
        written = [c for c in form.calls if _last(c).startswith("writeBean")]
        if written and all(_last(c) == "writeBeanAsDraft" and len(c[-1].args) == 2 for c in written):
            why = _FORCED
        own = tuple(r for call in chain for r in self._by_hand(call, shape, scope))
        rules = tuple(msgspec.structs.replace(r, skipped=why) if why is not None else r for r in shape.rules)
        live = [r for r in (*rules, *own) if r.skipped is None]
        # A field of text that is left alone holds empty text, never null.
        needed = any(r.kind == "notNull" if shape.type != "string" else _refuses_empty(r, r in own) for r in live)
        shape = shape.with_(rules=(*rules, *own), nullable=shape.nullable and not needed)
        return Taken("form", name, shape, needed, place, Origin("form", (name,)))

    def _shape(self, bean: Target, names: list[str]) -> Shape:
        """What the property's own type and annotations say; what is inside it is chosen as a whole."""
        reading = Reading(self.service.reader)
        found = reading.properties(bean).get(names[0])
        if found is None:
            return Shape(known=False)
        variable, scope, given, marks = found
        if len(names) > 1:
            inner = self.program.resolve(variable.type, scope)
            return self._shape(inner, names[1:]) if inner is not None else Shape(known=False)
        shape = reading.of_type(variable.type, scope, (), given, marks)
        name = bean.node.name if isinstance(bean.node, n.Class) else None
        return shape.with_(fields=(), items=None, values=None, model=name)

    def _by_hand(self, call: n.Call, shape: Shape, scope: Scope) -> Iterator[Rule]:
        """The rules that a call in a chain adds to the binding."""
        place = self.service.place(call, scope)
        if _last((call,)) == "asRequired":
            yield Rule("notEmpty" if shape.type == "string" else "notNull", True, place)
        if _last((call,)) != "withValidator" or not call.args:
            return
        made = call.args[0].value
        name = (dotted(made.func) or "").rpartition(".")[2] if isinstance(made, n.Call) else ""
        place = self.service.place(made, scope)
        if name == "EmailValidator":
            yield Rule("format", "email", place)
        elif isinstance(made, n.Call) and name in _VALIDATORS:
            for kind, arg in zip(_VALIDATORS[name], made.positional, strict=False):
                found = self.program.constant(arg, scope)
                if kind is not None and (found is None or found.value is not None):
                    yield Rule(
                        kind,
                        found.value if found is not None else scope.module.text(arg),
                        place,
                        known=found is not None,
                    )
        else:
            yield Rule("custom", scope.module.text(made)[:160], place)

    def _name(self, type_: n.Expr | None, scope: Scope) -> str:
        base = type_.value if isinstance(type_, n.Index) else type_
        return self.program.name_of(base, scope) or ""


def _refuses_empty(rule: Rule, by_hand: bool) -> bool:
    """True where a rule turns empty text away: the one for mail addresses does so only where it is put on by hand."""
    value = rule.value
    if rule.kind == "pattern" and isinstance(value, str) and rule.known:
        try:
            return re.fullmatch(value, "") is None
        except re.error:
            return False
    return (
        rule.kind in ("notBlank", "notEmpty")
        or (rule.kind == "minLength" and isinstance(value, int) and value > 0)
        or (rule.kind == "format" and by_hand)
    )


def _chain(call: n.Call) -> tuple[n.Call, ...]:
    """The calls that a call is chained to, the first one first, itself last; () where they do not begin at a name."""
    found: list[n.Call] = []
    expr: n.Expr = call
    while isinstance(expr, n.Call) and isinstance(expr.func, n.Member):
        found.append(expr)
        expr = expr.func.value
    return tuple(reversed(found)) if not isinstance(expr, n.Call) else ()


def _own_name(expr: n.Expr | None) -> str:
    return (dotted(expr) or "").removeprefix("this.")


def _root(call: n.Call) -> str:
    return _own_name(call.func.value) if isinstance(call.func, n.Member) else ""


def _field(call: n.Call) -> str:
    """The field of the view that a chain is about."""
    return _own_name(call.positional[0]) if call.positional else ""


def _last(chain: tuple[n.Call, ...]) -> str:
    func = chain[-1].func
    return func.name if isinstance(func, n.Member) else ""


class BeanForms:
    """The framework."""

    name = "bean-forms"
    language = "java"
    tokens = (b"vaadin.flow.data.binder", b"vaadin.data.")
    remedies = {**REMEDIES, "run-rules": "run them: bind by name, `binder.forField(…).bind(\"…\")`, with a BeanValidationBinder",
                "bind-form": "bind it by name to a property with constraints, with a BeanValidationBinder"}  # fmt: skip

    def routes(self, service: Service) -> Iterable[Route]:
        return Forms(service).routes()

    def takes(self, service: Service, route: Route) -> Taking:
        return Forms(service).takes(route)

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        declared = taken.declared
        return Ran(RunBy("form binder", declared.file, declared.line, declared.text or ""))

    def words(self, service: Service) -> Words:
        return base_java.words(service, lambda target, own: own, {})


framework = BeanForms()
