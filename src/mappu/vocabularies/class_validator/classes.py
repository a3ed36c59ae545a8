"""Classes with decorators on their fields, read to shapes."""

from collections.abc import Iterator

import msgspec

from mappu.inventory.model import ConstraintKind, FieldType, Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, entry, own
from mappu.vocabularies.class_validator.conditions import ABSENT, holds_for
from mappu.vocabularies.class_validator.decorators import (
    ALLOW,
    CONDITION,
    MEANINGS,
    NESTED,
    OPTIONAL,
    PACKAGE,
    TRANSFORMER,
)
from mappu.vocabularies.shape import Reader, Rule, Shape, ShapeField, written_default

MAX_DEPTH = 12
_MAPPED = {"PartialType", "PickType", "OmitType", "IntersectionType"}
_MAPPED_PACKAGES = ("@nestjs/mapped-types", "@nestjs/swagger", "@nestjs/graphql")
NOT_NESTED = "nothing goes into it: it takes both @ValidateNested() and @Type() for its rules to run"


class Options(msgspec.Struct, frozen=True):
    """Options of whatever runs the rules that change what they do."""

    groups: frozenset[str] = frozenset()
    skip_undefined: bool = False
    skip_null: bool = False
    skip_missing: bool = False
    whitelist: bool = False
    forbid_unlisted: bool = False
    implicit: bool = False


class Reading:
    """Reads classes of one service, as one set of options sees them."""

    def __init__(self, reader: Reader, options: Options | None = None) -> None:
        self.reader, self.options = reader, options or Options()
        self.program: Program = reader.program

    # --- classes ------------------------------------------------------------------------------------------------------

    def is_model(self, target: Target) -> bool:
        """True for a class with a decorator of the library on any of its fields, its own or inherited."""
        return any(self._decorated(f) for f in self._members(target, 0).values())

    def _decorated(self, member: tuple[n.Variable, Scope, bool | None]) -> bool:
        variable, scope, _ = member
        return any(self.name(m, scope) is not None for m, s in self.marks(variable, scope))

    def of_class(self, target: Target, inside: tuple[int, ...] = ()) -> Shape:
        """Return the shape of a class: its fields with their rules, those it inherits first."""
        node = target.node
        assert isinstance(node, n.Class)
        model = target.name.rpartition(".")[2]
        if id(node) in inside or len(inside) > MAX_DEPTH:
            return Shape("object", closed=True, target=target, model=model)
        members = self._members(target, 0)
        decorated = {name for name, m in members.items() if self._decorated(m)}
        fields = []
        for name, (variable, scope, optional) in members.items():
            if self.options.whitelist and name not in decorated and decorated:
                # A field without any decorator is taken out before the handler sees it.
                continue
            fields.append(self.field(variable, scope, optional, (*inside, id(node))))
        extra = "forbid" if self.options.forbid_unlisted else "ignore" if self.options.whitelist else "allow"
        return Shape("object", closed=True, fields=tuple(fields), model=model, target=target, extra=extra)  # type: ignore[arg-type]

    def _members(self, target: Target, depth: int) -> dict[str, tuple[n.Variable, Scope, bool | None]]:
        """Every field by name, with the scope of its class, and what a mapped type makes of it: optional so that null passes
        as well (True), or optional only (False)."""
        node, scope = target.node, target.scope
        found: dict[str, tuple[n.Variable, Scope, bool | None]] = {}
        if not isinstance(node, n.Class) or scope is None or depth > MAX_DEPTH:
            return found
        for base in node.bases:
            if base.name is None:
                found |= self._of_base(base.value, scope, depth + 1)
        inner = self.program.scope_of(node, scope)
        for member in node.body:
            if isinstance(member, n.Variable) and not any(dotted(m.name) == "static" for m in member.marks):
                found.pop(member.name, None)
                found[member.name] = (member, inner, None)
        return found

    def _of_base(self, base: n.Expr, scope: Scope, depth: int) -> dict[str, tuple[n.Variable, Scope, bool | None]]:
        if isinstance(base, n.Call):
            full = self.program.name_of(base.func, scope) or ""
            name = full.rpartition(".")[2]
            if name in _MAPPED and full.startswith(_MAPPED_PACKAGES):
                return self._mapped(name, base, scope, depth)
            return {}
        target = self.program.resolve(base.value if isinstance(base, n.Index) else base, scope)
        return self._members(target, depth) if target is not None else {}

    def _mapped(
        self, name: str, call: n.Call, scope: Scope, depth: int
    ) -> dict[str, tuple[n.Variable, Scope, bool | None]]:
        classes = call.positional if name == "IntersectionType" else call.positional[:1]
        found: dict[str, tuple[n.Variable, Scope, bool | None]] = {}
        for each in classes:
            found |= self._of_base(each, scope, depth)
        if name == "PartialType":
            options = call.positional[1] if len(call.positional) > 1 else None
            skips = self.program.constant(entry(options, "skipNullProperties"), scope)
            null = skips is None or skips.value is not False
            return {k: (v, s, null) for k, (v, s, _) in found.items()}
        if name in ("PickType", "OmitType") and len(call.positional) > 1:
            listed = {self.program.text(e, s) for e, s in self.program.elements(call.positional[1], scope)}
            return {k: v for k, v in found.items() if (k in listed) == (name == "PickType")}
        return found

    # --- fields -------------------------------------------------------------------------------------------------------

    def marks(self, variable: n.Variable, scope: Scope, depth: int = 0) -> Iterator[tuple[n.Mark, Scope]]:
        """The decorators of a field, those made of several taken apart."""
        for mark in variable.marks:
            yield from self._apart(mark, scope, depth)

    def _apart(self, mark: n.Mark, scope: Scope, depth: int) -> Iterator[tuple[n.Mark, Scope]]:
        target = self.program.resolve(mark.name, scope)
        function = target.node if target is not None else None
        if not isinstance(function, n.Function) or target is None or target.scope is None or depth > 4:
            yield mark, scope
            return
        inner = self.program.scope_of(function, target.scope)
        for node in own(*function.body):
            if isinstance(node, n.Call) and (dotted(node.func) or "").rpartition(".")[2] == "applyDecorators":
                for arg in node.args:
                    listed = self.program.elements(arg.value, inner) if arg.spread else [(arg.value, inner)]
                    for expr, holder in listed:
                        if isinstance(expr, n.Call):
                            made = n.Mark(expr.span, expr.func, expr.args)
                            yield from self._apart(made, holder, depth + 1)
                return
        yield mark, scope

    def name(self, mark: n.Mark, scope: Scope) -> str | None:
        """The decorator's name in the library, "custom" for one of the service's own that registers a rule; else None."""
        target = self.program.resolve(mark.name, scope)
        if target is None:
            return None
        if target.name.startswith(PACKAGE + "."):
            return target.name[len(PACKAGE) + 1 :]
        function = target.node
        if isinstance(function, n.Function) and target.scope is not None:
            source = target.scope.module.source[function.span.start : function.span.end]
            if b"registerDecorator(" in source or b"ValidateBy(" in source:
                return "custom"
            for node in own(*function.body):
                # A function that gives back one of the library's decorators.
                if isinstance(node, n.Leave) and isinstance(node.value, n.Call):
                    full = self.program.name_of(node.value.func, self.program.scope_of(function, target.scope)) or ""
                    if full.startswith(PACKAGE + "."):
                        return "custom"
        return None

    def field(self, variable: n.Variable, scope: Scope, optional: bool | None, inside: tuple[int, ...]) -> ShapeField:
        """Return one field of a class as the rules on it say."""
        declared = scope.module.place(variable)
        draft = _Draft()
        for mark, holder in self.marks(variable, scope):
            self._take(mark, holder, draft)
        if optional:
            draft.optional = True
        elif optional is False:
            draft.conditional = True
        nested = self._nested(variable, scope, draft, inside)
        shape = draft.shape(nested)
        if draft.optional or draft.null_skips or not draft.refuses:
            shape = shape.with_(nullable=True)
        required = draft.refuses and not draft.optional and not draft.conditional and not self._skips_absent()
        default = written_default(self.program, variable, scope)
        return ShapeField(
            variable.name, draft.wire or variable.name, shape, required and default is None, declared, default
        )

    def _skips_absent(self) -> bool:
        return self.options.skip_missing or self.options.skip_undefined

    def _take(self, mark: n.Mark, scope: Scope, draft: "_Draft") -> None:
        full = self.program.name_of(mark.name, scope) or ""
        if full == f"{TRANSFORMER}.Type":
            draft.made_by_type = next((a.value for a in mark.args or ()), None)
            draft.type_scope = scope
            return
        if full == f"{TRANSFORMER}.Expose":
            draft.wire = self._option(mark, "name", scope)
            return
        house = next((h for h in self.reader.house if h.annotation == full), None)
        place = scope.module.place(mark)
        if house is not None:
            draft.rules.extend(Rule(k, v, place) for k, v in house.constraints.items())
            return
        name = self.name(mark, scope)
        if name is None or not self._in_groups(mark, scope):
            return
        draft.decorated = True
        if name == OPTIONAL:
            draft.optional = True
        elif name == CONDITION:
            tested = mark.args[0].value if mark.args else None
            # The rules still run on a value left out, or on null, where the condition plainly holds for it.
            draft.conditional = holds_for(tested, ABSENT) is not True
            draft.null_skips = draft.null_skips or holds_for(tested, None) is False
        elif name == NESTED:
            draft.nested = True
            draft.each_nested = self._option_is(mark, "each", scope)
        elif name != ALLOW:
            self._rule(name, mark, scope, draft, place)

    def _rule(self, name: str, mark: n.Mark, scope: Scope, draft: "_Draft", place: Place) -> None:
        meaning = MEANINGS.get(name)
        message = self._option(mark, "message", scope)
        each = self._option_is(mark, "each", scope)
        given = mark.as_call().positional
        found: list[Rule] = []
        if meaning is None:
            found.append(Rule("custom", (dotted(mark.name) or "").rpartition(".")[2], place, message))
            type_: FieldType = "any"
        else:
            type_ = meaning.type
            found.extend(Rule(kind, value, place, message) for kind, value in meaning.fixed)
            for kind, position in meaning.takes:
                if position < len(given) and not isinstance(given[position], n.Entries | n.Function):
                    found.append(self._limit(kind, given[position], scope, place, message))
        # A rule of the service's own is called with nothing as well, and hardly any lets that through.
        refuses = meaning is None or meaning.refuses_absent
        draft.take(found, type_, each, closed=meaning is not None and meaning.closed, refuses=refuses)

    def _limit(self, kind: ConstraintKind, expr: n.Expr, scope: Scope, place: Place, message: str | None) -> Rule:
        if kind == "enum":
            elements = self.program.elements(expr, scope)
            elements = elements or self.program.elements(
                n.Call(expr.span, n.Member(expr.span, expr, "values"), ()), scope
            )
            constants = [self.program.constant(e, s) for e, s in elements]
            if constants and None not in constants:
                return Rule("enum", [c.value for c in constants if c is not None], place, message)
            return Rule("enum", scope.module.text(expr), place, message, known=False)
        if kind == "custom":
            return Rule("custom", (dotted(expr) or "").rpartition(".")[2] or scope.module.text(expr), place, message)
        constant = self.program.constant(expr, scope)
        if constant is not None:
            return Rule(kind, constant.value, place, message)
        followed = self.program.value(expr, scope)
        if followed is not None and isinstance(followed[0], n.Call) and dotted(followed[0].func) == "RegExp":
            text = self.program.text(followed[0].positional[0], followed[1]) if followed[0].positional else None
            return Rule(kind, text, place, message, known=text is not None)
        return Rule(kind, scope.module.text(expr), place, message, known=False)

    def _nested(self, variable: n.Variable, scope: Scope, draft: "_Draft", inside: tuple[int, ...]) -> Shape | None:
        """What lies inside a field: the class that @Type gives, looked into only together with @ValidateNested."""
        given = draft.made_by_type
        made: n.Expr | None = None
        if isinstance(given, n.Function):
            made = next((s.value for s in given.body if isinstance(s, n.Leave)), None)
        target = self.program.resolve(made, draft.type_scope or scope) if made is not None else None
        if target is not None and isinstance(target.node, n.Class) and draft.nested:
            return self.of_class(target, inside)
        declared = _element_type(variable.type)
        named = self.program.resolve(declared, scope) if declared is not None else None
        holds = target or (named if named is not None and isinstance(named.node, n.Class) else None)
        if (
            holds is not None
            and isinstance(holds.node, n.Class)
            and holds.node.form == "class"
            and (draft.nested or target)
        ):
            if not self.is_model(holds):
                return Shape()
            # The class has rules, and one of the two decorators that lead to them is missing.
            return Shape(skipped=NOT_NESTED, model=holds.name.rpartition(".")[2])
        return None

    # --- options of a decorator ---------------------------------------------------------------------------------------

    def _options(self, mark: n.Mark, scope: Scope) -> tuple[n.Entries, Scope] | None:
        for arg in reversed(mark.args or ()):
            followed = self.program.value(arg.value, scope)
            if followed is not None and isinstance(followed[0], n.Entries):
                return followed[0], followed[1]
        return None

    def _entry(self, mark: n.Mark, name: str, scope: Scope) -> tuple[n.Expr, Scope] | None:
        options = self._options(mark, scope)
        for key, value in options[0].entries if options is not None else ():
            if isinstance(key, n.Literal) and key.value == name and options is not None:
                return value, options[1]
        return None

    def _option(self, mark: n.Mark, name: str, scope: Scope) -> str | None:
        found = self._entry(mark, name, scope)
        return self.program.text(*found) if found is not None else None

    def _option_is(self, mark: n.Mark, name: str, scope: Scope) -> bool:
        found = self._entry(mark, name, scope)
        constant = self.program.constant(*found) if found is not None else None
        return constant is not None and constant.value is True

    def _in_groups(self, mark: n.Mark, scope: Scope) -> bool:
        """False for a rule of other groups than those that are asked for."""
        if not self.options.groups:
            return True
        if self._option_is(mark, "always", scope):
            return True
        found = self._entry(mark, "groups", scope)
        listed = self.program.elements(*found) if found is not None else []
        return any(self.program.text(e, s) in self.options.groups for e, s in listed)


class _Draft:
    """A field while its decorators are taken."""

    def __init__(self) -> None:
        self.type: FieldType = "any"
        self.item_type: FieldType = "any"
        self.rules: list[Rule] = []
        self.item_rules: list[Rule] = []
        self.closed = self.item_closed = False
        self.each = self.optional = self.conditional = self.nested = self.each_nested = self.null_skips = False
        self.decorated = self.refuses = False
        self.wire: str | None = None
        self.made_by_type: n.Expr | None = None
        self.type_scope: Scope | None = None

    def take(self, rules: list[Rule], type_: FieldType, each: bool, closed: bool, refuses: bool) -> None:
        self.refuses = self.refuses or refuses
        if each:
            self.each = True
            self.item_rules.extend(rules)
            self.item_type = _narrower(self.item_type, type_, rules)
            self.item_closed = self.item_closed or closed or type_ == "boolean"
            return
        self.rules.extend(rules)
        self.type = _narrower(self.type, type_, rules)
        self.closed = self.closed or closed or type_ == "boolean"

    def shape(self, nested: Shape | None) -> Shape:
        lists = self.each or self.each_nested or self.type == "array"
        if not lists:
            if nested is not None and nested.fields:
                return nested.with_(rules=tuple(self.rules))
            # What is in a class that nothing leads to is not looked at: it may be anything.
            values = Shape() if self.type == "object" else None
            return Shape(self.type, closed=self.closed, rules=tuple(self.rules), values=values)
        items = nested
        if items is None:
            items = Shape(self.item_type, closed=self.item_closed, rules=tuple(self.item_rules))
        elif self.item_rules:
            items = items.with_(rules=(*items.rules, *self.item_rules))
        return Shape("array" if self.type in ("array", "any") else self.type, rules=tuple(self.rules), items=items)


def _narrower(known: FieldType, found: FieldType, rules: list[Rule]) -> FieldType:
    if found == "any":
        values = next((r.value for r in rules if r.kind in ("enum", "const")), None)
        listed = values if isinstance(values, list) else [values]
        if values is not None and known == "any" and all(isinstance(v, str) for v in listed):
            return "string"
        if values is not None and known == "any" and all(isinstance(v, int | float) for v in listed):
            return "number"
        return known
    if known in ("any", found) or (known, found) == ("number", "integer"):
        return found
    return known


def _element_type(type_: n.Expr | None) -> n.Expr | None:
    """The class in `X`, `X[]`, `X | undefined`."""
    if isinstance(type_, n.Binary):
        return _element_type(type_.left)
    if isinstance(type_, n.Index):
        name = dotted(type_.value)
        return _element_type(type_.index) if name in ("Array", "Set") else None
    return type_ if isinstance(type_, n.Name | n.Member) else None
