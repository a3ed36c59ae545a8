"""Struct tags: rules beside the fields of structs, which some validator has to be called for."""

from collections.abc import Mapping

from mappu.flow.words import Refer, RunWord, Told
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import UNKNOWN, Reader, Shape
from mappu.vocabularies.struct_tags.registered import OWN, VALIDATOR
from mappu.vocabularies.struct_tags.rules import parse
from mappu.vocabularies.struct_tags.structs import JSON, Reading

ERROR = f"{VALIDATOR}.ValidationErrors"
# Methods of a validator, with the position of what they look at.
_STRUCTS = {
    "Struct": 0,
    "StructCtx": 1,
    "StructPartial": 0,
    "StructExcept": 0,
    "StructPartialCtx": 1,
    "StructExceptCtx": 1,
}
_VALUES = {"Var": 0, "VarCtx": 1}
FAILED: Mapping[str, Told] = {"": "failed"}


class StructTags:
    """The vocabulary."""

    name = "struct-tags"
    language = "go"
    tokens = (b"validate:", b"binding:")
    error_parents = {ERROR: "error"}
    error_aliases: Mapping[str, str] = {}

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = JSON) -> Shape:
        if isinstance(expr, n.Call):
            return self._of_value(reader, expr, scope)
        return Reading(reader, scope, view or JSON).of_type(expr, scope)

    def is_model(self, reader: Reader, target: Target) -> bool:
        node = target.node
        tags = (
            {dotted(m.name) for v in node.body if isinstance(v, n.Variable) for m in v.marks}
            if isinstance(node, n.Class)
            else set()
        )
        return bool(tags & {"validate", "binding"})

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        if not isinstance(call.func, n.Member):
            return None
        method = call.func.name
        position = _STRUCTS.get(method, _VALUES.get(method))
        if position is None or len(call.positional) <= position or not is_validator(reader, call.func.value, scope):
            return None
        value = call.positional[position]
        type_: n.Expr = call if method in _VALUES else value
        return RunWord(type_, scope, value, False, ERROR, None, FAILED, frozenset({OWN}))

    def _of_value(self, reader: Reader, call: n.Call, scope: Scope) -> Shape:
        """What `Var(value, "rules")` says of one value."""
        if (
            not isinstance(call.func, n.Member)
            or call.func.name not in _VALUES
            or not is_validator(reader, call.func.value, scope)
        ):
            return UNKNOWN
        at = _VALUES[call.func.name] + 1
        text = reader.program.text(call.positional[at], scope) if len(call.positional) > at else None
        if text is None:
            return UNKNOWN
        reading = Reading(reader, scope)
        words = parse(text, reading.registered.aliases)
        place = scope.module.place(call)
        return reading.limited(Shape("string"), words, "", False, place, OWN, "")

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


def is_validator(reader: Reader, expr: n.Expr, scope: Scope) -> bool:
    """True for an instance of the validator."""
    program = reader.program
    found = program.resolve(expr, scope)
    if found is None:
        return False
    made = program.class_of(found) if found.scope is not None else found
    return made is not None and made.name in (f"{VALIDATOR}.Validate", f"{VALIDATOR}.New")


vocabulary = StructTags()
