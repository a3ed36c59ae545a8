"""express-validator: chains that name a request field and what it must be, gathered for a later look at the outcome."""

from collections.abc import Iterator, Mapping

import msgspec

from mappu.flow.words import Refer, RunWord
from mappu.inventory.model import ConstraintKind, FieldType, Place, PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import UNKNOWN, Reader, Rule, Shape

PACKAGE = "express-validator"

_ROOTS: dict[str, PlaceIn] = {
    "body": "body", "check": "body", "param": "path", "query": "query", "header": "header", "cookie": "cookie",
}  # fmt: skip
_SCHEMA_PLACES: dict[str, PlaceIn] = {
    "body": "body", "params": "path", "query": "query", "headers": "header", "cookies": "cookie",
}  # fmt: skip

# A check: the type it asks for, its format or pattern, and whether nothing at all is refused by it.
_CHECKS: Mapping[str, tuple[FieldType, tuple[ConstraintKind, object] | None, bool]] = {
    "isEmail": ("string", ("format", "email"), True), "isURL": ("string", ("format", "uri"), True),
    "isUUID": ("string", ("format", "uuid"), True), "isMongoId": ("string", ("format", "mongo-id"), True),
    "isISO8601": ("string", ("format", "date-time"), True), "isDate": ("string", ("format", "date"), True),
    "isRFC3339": ("string", ("format", "date-time"), True), "isIP": ("string", ("format", "ip"), True),
    "isMobilePhone": ("string", ("format", "phone"), True), "isCreditCard": ("string", ("format", "credit-card"), True),
    "isHexColor": ("string", ("format", "hex-color"), True), "isJWT": ("string", ("format", "jwt"), True),
    "isJSON": ("string", ("format", "json"), True), "isBase64": ("string", ("format", "base64"), True),
    "isSlug": ("string", ("format", "slug"), True), "isPostalCode": ("string", ("format", "postal-code"), True),
    "isAlpha": ("string", ("pattern", "^[a-zA-Z]+$"), True), "isAlphanumeric": ("string", ("pattern", "^[a-zA-Z0-9]+$"), True),
    "isInt": ("integer", None, True), "isFloat": ("number", None, True), "isDecimal": ("number", None, True),
    "isNumeric": ("number", None, True), "isBoolean": ("boolean", None, True), "isString": ("string", None, True),
    "isArray": ("array", None, True), "isObject": ("object", None, True), "isStrongPassword": ("string", None, True),
    "notEmpty": ("any", ("notEmpty", None), True), "exists": ("any", None, True), "isLength": ("any", None, False),
    "isIn": ("any", None, True), "matches": ("any", None, True), "equals": ("any", None, True),
}  # fmt: skip
_BOUNDS: Mapping[str, tuple[ConstraintKind, ConstraintKind]] = {
    "isLength": ("minLength", "maxLength"), "isInt": ("minimum", "maximum"), "isFloat": ("minimum", "maximum"),
    "isArray": ("minItems", "maxItems"),
}  # fmt: skip
_CUSTOM = frozenset(
    {"custom", "isStrongPassword", "isHash", "contains", "isAfter", "isBefore", "isDivisibleBy", "isCurrency"}
)
_OUTCOME = {"isEmpty()": "passed", "array()": "faults", "mapped()": "faults", "formatWith()": "faults"}


class Checked(msgspec.Struct, frozen=True):
    """One field that a chain checks."""

    place: PlaceIn
    path: str
    shape: Shape
    required: bool
    declared: Place


class RequestChains:
    """The vocabulary."""

    name = "request-chains"
    language = "javascript"
    tokens = (PACKAGE.encode(),)
    error_parents: Mapping[str, str] = {}
    error_aliases: Mapping[str, str] = {}

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        return UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return False

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        """`validationResult(req)`: the outcome of all chains in front."""
        if reader.program.name_of(call.func, scope) != f"{PACKAGE}.validationResult" or not call.positional:
            return None
        return RunWord(call.func, scope, call.positional[0], False, "Error", None, _OUTCOME)  # type: ignore[arg-type]

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None

    def checked(self, reader: Reader, expr: n.Expr, scope: Scope) -> Iterator[Checked]:
        """Yield the fields that a chain handed to a route checks."""
        program = reader.program
        steps: list[n.Call] = []
        while isinstance(expr, n.Call):
            steps.append(expr)
            name = program.name_of(expr.func, scope) or ""
            if name == f"{PACKAGE}.checkSchema" and expr.positional:
                yield from self._schema(reader, expr.positional[0], scope)
                return
            if name.startswith(PACKAGE + ".") and name[len(PACKAGE) + 1 :] in _ROOTS:
                yield from self._chain(reader, steps[::-1], _ROOTS[name[len(PACKAGE) + 1 :]], scope)
                return
            expr = expr.func.value if isinstance(expr.func, n.Member) else expr.func

    def _chain(self, reader: Reader, steps: list[n.Call], place: PlaceIn, scope: Scope) -> Iterator[Checked]:
        root = steps[0]
        given = root.positional[0] if root.positional else None
        program = reader.program
        names = [program.text(e, s) for e, s in program.elements(given, scope)] if given is not None else []
        if given is not None and not names:
            names = [program.text(given, scope)]
        draft = _Draft(reader, scope)
        for step in steps[1:]:
            if isinstance(step.func, n.Member):
                draft.take(step.func.name, step)
        declared = Place(scope.module.path, root.line, scope.module.text(steps[-1])[:160])
        for name in names:
            if name is not None:
                path = name.lower() if place == "header" else name.replace(".*", "[]").replace("*", "[]")
                yield Checked(place, path, draft.shape(), draft.required, declared)

    def _schema(self, reader: Reader, expr: n.Expr, scope: Scope) -> Iterator[Checked]:
        """`checkSchema({ name: { in: ["body"], isEmail: true } })`."""
        followed = reader.program.value(expr, scope)
        if followed is None or not isinstance(followed[0], n.Entries):
            return
        for key, value in followed[0].entries:
            name = reader.program.text(key, followed[1]) if key is not None else None
            if name is None or not isinstance(value, n.Entries):
                continue
            draft = _Draft(reader, followed[1])
            place: PlaceIn = "body"
            for word, inner in value.entries:
                if not isinstance(word, n.Literal):
                    continue
                if word.value == "in":
                    texts = [reader.program.text(e, s) for e, s in reader.program.elements(inner, followed[1])]
                    texts = texts or [reader.program.text(inner, followed[1])]
                    place = _SCHEMA_PLACES.get(texts[0] or "", "body")
                    continue
                options = inner
                for option, held in inner.entries if isinstance(inner, n.Entries) else ():
                    if isinstance(option, n.Literal) and option.value == "options":
                        options = held
                draft.take(str(word.value), n.Call(value.span, n.Name(value.span, str(word.value)), (n.Arg(options),)))
            declared = followed[1].module.place(value)
            yield Checked(place, name.replace(".*", "[]"), draft.shape(), draft.required, declared)


class _Draft:
    """A field while its chain is read."""

    def __init__(self, reader: Reader, scope: Scope) -> None:
        self.program, self.scope = reader.program, scope
        self.type: FieldType = "any"
        self.rules: list[Rule] = []
        self.optional = self.refuses = self.nullable = False

    @property
    def required(self) -> bool:
        return self.refuses and not self.optional

    def shape(self) -> Shape:
        formats = any(r.kind in ("enum", "const") for r in self.rules)
        items = Shape() if self.type == "array" else None
        return Shape(
            self.type, self.nullable, closed=formats or self.type == "boolean", rules=tuple(self.rules), items=items
        )

    def take(self, name: str, call: n.Call) -> None:
        place = Place(self.scope.module.path, call.line, self.scope.module.text(call)[-160:])
        given = call.positional
        if name == "optional":
            self.optional = True
            self.nullable = bool(given)
            return
        if name == "withMessage" and self.rules and given:
            text = self.program.text(given[0], self.scope)
            last = self.rules[-1]
            self.rules[-1] = Rule(last.kind, last.value, last.declared, text, known=last.known)
            return
        if name in _CUSTOM:
            named = dotted(given[0]) if given and isinstance(given[0], n.Name | n.Member) else None
            self.rules.append(Rule("custom", named or place.text, place))
            return
        if name not in _CHECKS:
            return
        type_, rule, refuses = _CHECKS[name]
        self.type = type_ if self.type == "any" else self.type
        self.refuses = self.refuses or refuses
        if rule is not None:
            self.rules.append(Rule(rule[0], rule[1], place))
        if name in _BOUNDS:
            self._bounds(name, given, place)
        elif name == "isIn" and given:
            values = [self.program.constant(e, s) for e, s in self.program.elements(given[0], self.scope)]
            known = bool(values) and None not in values
            listed: object = [v.value for v in values if v is not None] if known else self.scope.module.text(given[0])
            self.rules.append(Rule("enum", listed, place, known=known))
        elif name == "matches" and given:
            followed = self.program.value(given[0], self.scope)
            inner = (
                followed[0].positional[0]
                if followed and isinstance(followed[0], n.Call) and followed[0].positional
                else given[0]
            )
            text = self.program.text(inner, followed[1] if followed is not None else self.scope)
            self.rules.append(Rule("pattern", text or place.text, place, known=text is not None))
        elif name == "equals" and given:
            constant = self.program.constant(given[0], self.scope)
            self.rules.append(
                Rule("const", constant.value if constant else place.text, place, known=constant is not None)
            )

    def _bounds(self, name: str, given: tuple[n.Expr, ...], place: Place) -> None:
        followed = self.program.value(given[0], self.scope) if given else None
        for key, value in followed[0].entries if followed is not None and isinstance(followed[0], n.Entries) else ():
            if not isinstance(key, n.Literal) or key.value not in ("min", "max") or followed is None:
                continue
            constant = self.program.constant(value, followed[1])
            kind = _BOUNDS[name][0 if key.value == "min" else 1]
            limit: object = constant.value if constant is not None else followed[1].module.text(value)
            self.rules.append(Rule(kind, limit, place, known=constant is not None))
            if key.value == "min" and isinstance(limit, int | float) and limit > 0:
                self.refuses = True


vocabulary = RequestChains()
