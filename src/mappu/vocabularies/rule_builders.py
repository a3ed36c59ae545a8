"""Rules listed in a call: `validation.ValidateStruct(&r, validation.Field(&r.Name, validation.Required, …))`."""

from collections.abc import Callable, Iterator, Mapping

from mappu.flow.words import Refer, RunWord
from mappu.inventory.model import ConstraintKind, FieldType
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import walk
from mappu.vocabularies.shape import UNKNOWN, Reader, Rule, Shape, ShapeField, refuses_zero
from mappu.vocabularies.struct_tags import FAILED
from mappu.vocabularies.struct_tags.structs import Reading

_PACKAGES = ("github.com/go-ozzo/ozzo-validation", "github.com/invopop/validation", "github.com/jellydator/validation")
_STRUCT = frozenset({"ValidateStruct", "ValidateStructWithContext"})
_ONE = frozenset({"Validate", "ValidateWithContext"})
_FORMATS: Mapping[str, str] = {
    "Email": "email", "EmailFormat": "email", "URL": "uri", "RequestURL": "uri", "RequestURI": "uri", "UUID": "uuid",
    "UUIDv4": "uuid",
    "UUIDv3": "uuid", "UUIDv5": "uuid", "IP": "ip", "IPv4": "ipv4", "IPv6": "ipv6", "MAC": "mac", "Host": "hostname",
    "DNSName": "hostname", "Domain": "hostname", "JSON": "json", "Base64": "base64", "E164": "e164", "ISBN": "isbn",
    "CreditCard": "credit-card", "Latitude": "latitude", "Longitude": "longitude", "Semver": "semver", "HexColor": "hexcolor",
    "CountryCode2": "iso3166-1-alpha2", "CountryCode3": "iso3166-1-alpha3", "CurrencyCode": "iso4217", "Port": "port",
}  # fmt: skip
_PATTERNS: Mapping[str, str] = {"Alpha": "^[a-zA-Z]+$", "Alphanumeric": "^[a-zA-Z0-9]+$", "Digit": "^[0-9]+$",
                                "LowerCase": "^[^A-Z]+$",
                                "UpperCase": "^[^a-z]+$", "Int": r"^(?:[-+]?(?:0|[1-9]\d*))$", "Hexadecimal": "^[0-9a-fA-F]+$",
                                "ASCII": r"^[\x00-\x7F]+$"}  # fmt: skip
_SIZES: Mapping[FieldType, tuple[ConstraintKind, ConstraintKind]] = {
    "array": ("minItems", "maxItems"), "object": ("minProperties", "maxProperties"),
}  # fmt: skip
Found = tuple[ConstraintKind, object]
# Functions of a package that look at one value and give back an error: what each says, with the position of its limit.
_CHECKS = "github.com/go-openapi/validate"
_OF_VALUES: Mapping[str, tuple[ConstraintKind, int | None]] = {
    "Required": ("required", None), "RequiredString": ("required", None), "RequiredNumber": ("required", None),
    "MinLength": ("minLength", 3), "MaxLength": ("maxLength", 3), "Pattern": ("pattern", 3), "MinimumInt": ("minimum", 3),
    "MaximumInt": ("maximum", 3), "Minimum": ("minimum", 3), "Maximum": ("maximum", 3), "MinimumUint": ("minimum", 3),
    "MaximumUint": ("maximum", 3), "MultipleOf": ("multipleOf", 3), "MultipleOfInt": ("multipleOf", 3),
    "UniqueItems": ("uniqueItems", None), "FormatOf": ("format", 2), "EnumCase": ("custom", None), "Enum": ("custom", None),
}  # fmt: skip


class RuleBuilders:
    """The vocabulary."""

    name = "rule-builders"
    language = "go"
    tokens = (b"validation.",)
    error_parents = {f"{p}.Errors": "error" for p in _PACKAGES}
    error_aliases: Mapping[str, str] = {}

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        if not isinstance(expr, n.Call):
            return UNKNOWN
        checked = _of_value(reader.program, expr, scope)
        if checked is not None:
            return checked[1]
        name = _called(reader.program, expr, scope)
        if name in _STRUCT:
            return Listing(reader).of_struct(expr, scope)
        return Listing(reader).limited(Shape("string"), expr.positional[1:], scope) if name in _ONE else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return False

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        checked = _of_value(reader.program, call, scope)
        if checked is not None:
            return RunWord(
                call, scope, checked[0], False, f"{_CHECKS}.Validation", None, FAILED, frozenset({self.name})
            )
        name = _called(reader.program, call, scope)
        if name not in _STRUCT and not (name in _ONE and len(call.positional) > 1):
            return None
        position = 1 if name is not None and name.endswith("WithContext") else 0
        if len(call.positional) <= position:
            return None
        throws = f"{_PACKAGES[0]}.Errors"
        return RunWord(call, scope, call.positional[position], False, throws, None, FAILED, frozenset({self.name}))

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


def _of_value(program: Program, call: n.Call, scope: Scope) -> tuple[n.Expr, Shape] | None:
    """The value that such a function looks at, and what it says of it."""
    package, _, last = (program.name_of(call.func, scope) or "").rpartition(".")
    if package != _CHECKS or last not in _OF_VALUES or len(call.positional) < 3:
        return None
    kind, position = _OF_VALUES[last]
    limit = (
        program.constant(call.positional[position], scope)
        if position is not None and position < len(call.positional)
        else None
    )
    place = scope.module.place(call)
    value: object = limit.value if limit is not None else True if position is None else place.text
    if kind == "custom" or (position is not None and limit is None):
        kind, value = "custom", place.text
    rule = Rule(kind, value, place, key=RuleBuilders.name, absent=kind == "required" or refuses_zero(kind, value))
    return call.positional[3 if last == "FormatOf" and len(call.positional) > 3 else 2], Shape("any", rules=(rule,))


def _called(program: Program, call: n.Call, scope: Scope) -> str | None:
    """The function of one of the packages that a call calls."""
    name = program.name_of(call.func, scope) or ""
    package, _, last = name.rpartition(".")
    return last if package in _PACKAGES else None


class Listing:
    """Reads the rules that calls list."""

    def __init__(self, reader: Reader) -> None:
        self.reader, self.program = reader, reader.program

    def of_struct(self, call: n.Call, scope: Scope, depth: int = 0) -> Shape:
        """The fields that a call lists, with their rules: under the names that the code gives them."""
        fields = []
        for given in call.positional:
            if isinstance(given, n.Call) and _called(self.program, given, scope) == "Field" and given.positional:
                field = self._field(given, scope, depth)
                if field is not None:
                    fields.append(field)
        return Shape("object", closed=True, fields=tuple(fields))

    def _field(self, call: n.Call, scope: Scope, depth: int) -> ShapeField | None:
        pointed = call.positional[0]
        member = pointed.value if isinstance(pointed, n.Unary) else pointed
        if not isinstance(member, n.Member):
            return None
        shape = Shape("any")
        target = self.program.resolve(member, scope)
        if target is not None and isinstance(target.node, n.Variable) and target.scope is not None:
            typed = Reading(self.reader, target.scope).of_type(target.node.type, target.scope)
            shape = Shape(typed.type, items=self._own(typed.items, depth), values=self._own(typed.values, depth),
                          fields=self._inside(typed, depth), optional=typed.optional)  # fmt: skip
        shape = self.limited(shape, call.positional[1:], scope)
        return ShapeField(member.name, member.name, shape, False, scope.module.place(call))

    def _own(self, shape: Shape | None, depth: int) -> Shape | None:
        return Shape(shape.type, fields=self._inside(shape, depth)) if shape is not None else None

    def _inside(self, shape: Shape, depth: int) -> tuple[ShapeField, ...]:
        """The rules that what is nested lists itself: its own method is called as well."""
        target = shape.target
        if target is None or depth > 5:
            return ()
        method = self.program.member(target, "Validate")
        if method is None or not isinstance(method.node, n.Function) or method.scope is None:
            return ()
        inner = self.program.scope_of(method.node, method.scope)
        calls = (c for c in walk(*method.node.body) if isinstance(c, n.Call))
        found = next((c for c in calls if _called(self.program, c, inner) in _STRUCT), None)
        return self.of_struct(found, inner, depth + 1).fields if found is not None else ()

    def limited(self, shape: Shape, rules: tuple[n.Expr, ...], scope: Scope) -> Shape:
        """The shape with what each of the rules says."""
        found: list[Rule] = []
        for expr in rules:
            each = self._call_of(expr, scope)
            if each is not None and each[1] == "Each" and shape.items is not None:
                shape = shape.with_(items=self.limited(shape.items, each[0].positional, scope))
            else:
                found.extend(self._rules(expr, shape, scope))
        return shape.with_(rules=(*shape.rules, *found))

    def _call_of(self, expr: n.Expr, scope: Scope) -> tuple[n.Call, str] | None:
        name = _called(self.program, expr, scope) if isinstance(expr, n.Call) else None
        return (expr, name) if isinstance(expr, n.Call) and name is not None else None

    def _rules(self, expr: n.Expr, shape: Shape, scope: Scope) -> Iterator[Rule]:
        place, message, exclusive = scope.module.place(expr), None, False
        while (
            isinstance(expr, n.Call)
            and isinstance(expr.func, n.Member)
            and expr.func.name in _STEPS
            and not isinstance(expr.func.value, n.Name)
        ):
            if expr.func.name == "Error" and expr.positional:
                message = self.program.text(expr.positional[0], scope)
            exclusive = exclusive or expr.func.name == "Exclusive"
            expr = expr.func.value
        called = expr.func if isinstance(expr, n.Call) else expr
        name = self.program.name_of(called, scope) or ""
        package, _, last = name.rpartition(".")
        args = expr.positional if isinstance(expr, n.Call) else ()
        made: Callable[[Listing, tuple[n.Expr, ...], Shape, Scope, bool], list[Found] | None] | None = None
        if package in _PACKAGES:
            made = _RULES.get(last)
        elif package.endswith("/is") and last in _FORMATS:
            made = lambda *_: [("format", _FORMATS[last])]  # noqa: E731
        elif package.endswith("/is") and last in _PATTERNS:
            made = lambda *_: [("pattern", _PATTERNS[last])]  # noqa: E731
        said = made(self, args, shape, scope, exclusive) if made is not None else None
        other: list[Found] = [("custom", place.text)]
        for kind, value in said if said is not None else other:
            # All but these let a value pass that is empty.
            yield Rule(kind, value, place, message, key=RuleBuilders.name, absent=kind in ("required", "notNull"))

    # --- rules --------------------------------------------------------------------------------------------------------

    def number(self, expr: n.Expr, scope: Scope) -> int | float | None:
        if isinstance(expr, n.Call) and len(expr.positional) == 1:
            # `float64(3)`.
            expr = expr.positional[0]
        found = self.program.constant(expr, scope)
        return found.value if found is not None and isinstance(found.value, int | float) else None

    def length(self, args: tuple[n.Expr, ...], shape: Shape, scope: Scope, exclusive: bool) -> list[Found] | None:
        limits = [self.number(a, scope) for a in args]
        if len(limits) != 2 or None in limits:
            return None
        least, most = _SIZES.get(shape.type, ("minLength", "maxLength"))
        # Nought is no upper limit.
        pairs: list[Found] = [(least, limits[0]), (most, limits[1])]
        return [(k, v) for k, v in pairs if v != 0]

    def limit(self, args: tuple[n.Expr, ...], scope: Scope, kind: ConstraintKind) -> list[Found] | None:
        value = self.number(args[0], scope) if args else None
        return [(kind, value)] if value is not None else None

    def one_of(self, args: tuple[n.Expr, ...], scope: Scope) -> list[Found] | None:
        found = [self.program.constant(a, scope) for a in args]
        return [("enum", [x.value for x in found if x is not None])] if found and None not in found else None

    def matched(self, args: tuple[n.Expr, ...], scope: Scope) -> list[Found] | None:
        followed = self.program.value(args[0], scope) if args else None
        made = followed[0] if followed is not None else None
        if not isinstance(made, n.Call) or not made.positional or followed is None:
            return None
        text = self.program.text(made.positional[0], followed[1])
        return [("pattern", text)] if text is not None else None


_STEPS = frozenset({"Error", "ErrorObject", "Exclusive", "Min", "Max", "When", "Else"})
_RULES: Mapping[str, Callable[[Listing, tuple[n.Expr, ...], Shape, Scope, bool], list[Found] | None]] = {
    "Required": lambda *_: [("required", True)], "NotNil": lambda *_: [("notNull", True)],
    "NilOrNotEmpty": lambda *_: [("notEmpty", True)], "Skip": lambda *_: [],
    "Length": Listing.length, "RuneLength": Listing.length,
    "Min": lambda t, a, _, s, more: t.limit(a, s, "exclusiveMinimum" if more else "minimum"),
    "Max": lambda t, a, _, s, less: t.limit(a, s, "exclusiveMaximum" if less else "maximum"),
    "MultipleOf": lambda t, a, _, s, __: t.limit(a, s, "multipleOf"),
    "In": lambda t, a, _, s, __: t.one_of(a, s), "Match": lambda t, a, _, s, __: t.matched(a, s),
    "Date": lambda *_: [("format", "date")],
}  # fmt: skip
vocabulary = RuleBuilders()
