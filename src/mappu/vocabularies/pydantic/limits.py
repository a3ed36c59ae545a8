"""`Field(...)`, constrained types and annotated metadata: the limits they state, laid on a shape."""

import msgspec

from mappu.inventory.model import Place
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.pydantic.types import DIGIT_LIMITS, FIELD_WORDS, NUMBER_LIMITS, SIZE_KINDS, SIZE_LIMITS
from mappu.vocabularies.shape import Note, Rule, Shape

# Functions of pydantic, its ORM sister and the web framework that take the same limits as keywords.
FIELD_CALLS = frozenset(
    {"pydantic.Field", "pydantic.fields.Field", "pydantic.v1.Field", "sqlmodel.Field", "sqlmodel.main.Field"}
)
PARAMETER_CALLS = {
    f"{p}.{name}": name.lower()
    for p in ("fastapi", "fastapi.params", "fastapi.param_functions")
    for name in ("Query", "Path", "Header", "Cookie", "Body", "Form", "File")
}
_METADATA = {
    "Gt": "gt", "Ge": "ge", "Lt": "lt", "Le": "le", "MultipleOf": "multiple_of", "MinLen": "min_length",
    "MaxLen": "max_length",
}  # fmt: skip
_VALIDATORS = ("AfterValidator", "BeforeValidator", "PlainValidator", "WrapValidator")

# Types on which a limit cannot be looked at at all: every value sent then ends as a TypeError (observed, 2.14).
_NO_SIZE = frozenset({"integer", "number", "boolean", "file"})
_UNSIZED_FORMATS = frozenset({"uuid", "date", "date-time", "time", "duration", "ipv4", "ipv6"})
_ORDERED_FORMATS = frozenset({"date", "date-time", "time", "duration"})


class At(msgspec.Struct, frozen=True):
    """Where limits are read: names are seen from the scope."""

    program: Program
    scope: Scope

    def of(self, node: n.Node) -> Place:
        return self.scope.module.place(node)


def apply(shape: Shape, call: n.Call, at: At, version: int) -> Shape:
    """Lay every limit among the call's keywords on the shape."""
    place = at.of(call)
    found = shape
    for arg in call.args:
        if arg.name is None or arg.spread:
            continue
        constant = at.program.constant(arg.value, at.scope)
        value = constant.value if constant is not None else None
        known = constant is not None
        if arg.name in ("regex", "pattern"):
            text = value if known else _pattern_of(arg.value, at)
            breaks = _unfit(found, "pattern", arg.name)
            shown = text if text is not None else at.scope.module.text(arg.value)
            found = _add(found, Rule("pattern", shown, place, breaks=breaks, known=text is not None))
        elif arg.name in NUMBER_LIMITS and not (known and value is None):
            limit = value if known else at.scope.module.text(arg.value)
            found = _add(found, Rule(NUMBER_LIMITS[arg.name], limit, place, breaks=_unfit(found, "number", arg.name)))
        elif arg.name in SIZE_LIMITS and not (known and value is None):
            limit = value if known else at.scope.module.text(arg.value)
            side = SIZE_LIMITS[arg.name]
            kind = SIZE_KINDS.get((side, found.type), "minLength" if side == "min" else "maxLength")
            found = _add(found, Rule(kind, limit, place, breaks=_unfit(found, "size", arg.name)))
        elif arg.name in ("unique_items",) and value is True:
            found = _add(found, Rule("uniqueItems", True, place))
        elif arg.name == "const" and value is True:
            found = _add(found, Rule("const", None, place))
        elif arg.name not in FIELD_WORDS and not arg.name.startswith("sa_"):
            why = f"`{arg.name}` is no limit that {at.scope.module.text(call.func)} knows; it only goes into the API document"
            near = _nearest(arg.name)
            fix = f"write `{near}=…`" if near else f"remove `{arg.name}` or write it as a validator"
            found = found.with_(notes=(*found.notes, Note("no-effect", place, why, fix)))
    digits = {a.name: at.program.constant(a.value, at.scope) for a in call.args if a.name in DIGIT_LIMITS}
    if digits:
        whole, fraction = digits.get("max_digits"), digits.get("decimal_places")
        size = {"digits": whole.value if whole else None, "fraction": fraction.value if fraction else None}
        found = _add(found, Rule("digits", size, place, breaks=_unfit(found, "digits", "max_digits")))
    return found


def metadata(shape: Shape, item: n.Expr, name: str, at: At, version: int) -> Shape:
    """Lay one item of an `Annotated[…]` on the shape; `name` is the full name of what it calls or is."""
    last = name.rpartition(".")[2]
    if isinstance(item, n.Call):
        if name in FIELD_CALLS or name in PARAMETER_CALLS or last in ("StringConstraints", "Interval"):
            return apply(shape, item, at, version)
        if last in _METADATA and item.args:
            named = n.Call(item.span, item.func, (n.Arg(item.args[0].value, _METADATA[last]),))
            return apply(shape, named, at, version)
        if last == "Len":
            words = ("min_length", "max_length")
            args = tuple(n.Arg(a.value, a.name or words[i]) for i, a in enumerate(item.args[:2]))
            return apply(shape, n.Call(item.span, item.func, args), at, version)
        if last in _VALIDATORS and item.args:
            function = item.args[0].value
            label = dotted(function) or at.scope.module.text(function)
            return _add(shape, Rule("custom", label, at.of(item)))
        if last in ("Predicate", "Not"):
            return _add(shape, Rule("custom", at.scope.module.text(item), at.of(item)))
    return shape


def _add(shape: Shape, rule: Rule) -> Shape:
    return shape.with_(rules=(*shape.rules, rule))


def _pattern_of(expr: n.Expr, at: At) -> object:
    """The text of `re.compile("…")`, here or behind a name."""
    followed = at.program.value(expr, at.scope)
    if followed is not None and isinstance(followed[0], n.Call) and followed[0].positional:
        return at.program.text(followed[0].positional[0], followed[1])
    return None


def _unfit(shape: Shape, family: str, word: str) -> str | None:
    """Why a limit of this family cannot be looked at on the type; None where it can."""
    formats = {r.value for r in shape.rules if r.kind == "format"}
    if shape.model is not None and shape.target is not None:
        unfit = True
    elif family == "number":
        unfit = shape.type in ("array", "object") or (shape.type == "string" and not formats & _ORDERED_FORMATS)
    elif family == "size":
        unfit = shape.type in _NO_SIZE or bool(formats & _UNSIZED_FORMATS)
    elif family == "digits":
        unfit = shape.type not in ("number", "any")
    else:
        unfit = shape.type in ("array", "object") or shape.type in _NO_SIZE or bool(formats & _UNSIZED_FORMATS)
    if not unfit or shape.alternatives or not shape.known:
        return None
    said = shape.model or next((str(f) for f in sorted(map(str, formats))), None) or shape.type
    return f"`{word}` cannot be looked at on a value of type {said}: every value that is sent ends as a TypeError"


def _nearest(word: str) -> str | None:
    plain = word.replace("_", "").lower()
    names = {"maxlen": "max_length", "minlen": "min_length", "maxlength": "max_length", "minlength": "min_length",
             "min": "ge", "max": "le", "minimum": "ge", "maximum": "le", "maxvalue": "le", "minvalue": "ge",
             "gte": "ge", "lte": "le", "match": "pattern", "regexp": "pattern", "maxitems": "max_length",
             "minitems": "min_length", "length": "max_length"}  # fmt: skip
    return names.get(plain)
