"""JSON Schema written out as an object, or built by typebox calls; run by ajv, or by a framework itself."""

from collections.abc import Mapping
from typing import Any

from mappu.flow.words import Refer, RunWord
from mappu.inventory.model import ConstraintKind, FieldType, Place
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.base_chain_parts import merged
from mappu.vocabularies.shape import UNKNOWN, Default, Reader, Rule, Shape, ShapeField

MAX_DEPTH = 24

_LIMITS: tuple[ConstraintKind, ...] = (
    "minLength", "maxLength", "pattern", "format", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf",
    "minItems", "maxItems", "uniqueItems", "minProperties", "maxProperties", "const",
)  # fmt: skip
_TYPES: dict[str, FieldType] = {
    "string": "string", "integer": "integer", "number": "number", "boolean": "boolean", "array": "array", "object": "object",
}  # fmt: skip
_CLOSED = frozenset({"uuid", "date", "date-time", "time", "ipv4", "ipv6"})

# What typebox's calls make: the type, and where their schema and options stand.
_BUILT = {
    "String": "string", "Integer": "integer", "Number": "number", "Boolean": "boolean", "Array": "array", "Object": "object",
    "Any": "any", "Unknown": "any", "Null": "null", "Date": "string", "BigInt": "integer",
}  # fmt: skip
_BUILDERS = ("@sinclair/typebox.Type", "@fastify/type-provider-typebox.Type", "typebox.Type", "elysia.t")
_AJV = ("ajv", "ajv/dist/2020", "ajv/dist/2019", "ajv.Ajv", "ajv/dist/jtd")


class JsonSchema:
    """The vocabulary."""

    name = "json-schema"
    language = "javascript"
    tokens = (b"ajv", b"typebox", b"properties:")
    error_parents: Mapping[str, str] = {}
    error_aliases: Mapping[str, str] = {}

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        return _Reading(reader.program).read(expr, scope) or UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return False

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        """`ajv.validate(schema, value)`, and `validate(value)` of what `ajv.compile(schema)` made."""
        program = reader.program
        func = call.func
        if isinstance(func, n.Member) and func.name == "validate" and len(call.positional) == 2:
            if _is_ajv(program, func.value, scope):
                schema, holder = refer(call.positional[0])
                return RunWord(schema, holder, call.positional[1], False, "Error", None, {"": "passed"})
        if not call.positional or not isinstance(func, n.Name | n.Member | n.Call):
            return None
        named, holder = refer(func) if not isinstance(func, n.Call) else (func, scope)
        followed = program.value(named, holder) if isinstance(named, n.Name | n.Member) else (named, holder)
        made = followed[0] if followed is not None else None
        if (
            followed is None
            or not isinstance(made, n.Call)
            or not isinstance(made.func, n.Member)
            or not made.positional
        ):
            return None
        if made.func.name == "compile" and _is_ajv(program, made.func.value, followed[1]):
            return RunWord(made.positional[0], followed[1], call.positional[0], False, "Error", None, {"": "passed"})
        return None

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


def _is_ajv(program: Program, expr: n.Expr, scope: Scope) -> bool:
    followed = program.value(expr, scope)
    made = followed[0] if followed is not None else None
    if isinstance(made, n.Call) and followed is not None:
        if made.positional and program.name_of(made.func, followed[1]) in ("ajv-formats", "ajv-errors", "ajv-keywords"):
            return _is_ajv(program, made.positional[0], followed[1])
        return program.name_of(made.func, followed[1]) in _AJV
    return False


class _Reading:
    """One schema being read."""

    def __init__(self, program: Program) -> None:
        self.program, self.depth = program, 0

    def read(self, expr: n.Expr, scope: Scope) -> Shape | None:
        """Return what a schema allows; None where it is none."""
        if self.depth > MAX_DEPTH:
            return None
        self.depth += 1
        try:
            followed = self.program.value(expr, scope) if isinstance(expr, n.Name | n.Member) else (expr, scope)
            if followed is None:
                return None
            value, holder = followed
            name = dotted(expr) if isinstance(expr, n.Name | n.Member) else None
            found: Shape | None = None
            if isinstance(value, n.Call):
                found = self._built(value, holder)
            elif isinstance(value, n.Entries):
                found = self._written(value, holder)
            if found is not None and found.fields and found.model is None and name is not None:
                found = found.with_(model=name.rpartition(".")[2])
            return found
        finally:
            self.depth -= 1

    def _entries(self, expr: n.Expr, scope: Scope) -> dict[str, tuple[n.Expr, Scope]]:
        followed = self.program.value(expr, scope)
        found: dict[str, tuple[n.Expr, Scope]] = {}
        if followed is None or not isinstance(followed[0], n.Entries):
            return found
        for key, value in followed[0].entries:
            if key is None:
                found |= self._entries(value, followed[1])
            elif (name := self.program.text(key, followed[1])) is not None:
                found[name] = (value, followed[1])
        return found

    def _place(self, expr: n.Expr, scope: Scope) -> Place:
        return scope.module.place(expr)

    def _constant(self, given: tuple[n.Expr, Scope] | None) -> Any:
        found = self.program.constant(*given) if given is not None else None
        return found.value if found is not None else None

    def _written(self, expr: n.Entries, scope: Scope) -> Shape | None:
        parts = self._entries(expr, scope)
        if not parts.keys() & _WORDS:
            return None
        place = self._place(expr, scope)
        for word in ("oneOf", "anyOf"):
            if word in parts:
                shapes = [s for e, h in self.program.elements(*parts[word]) if (s := self.read(e, h)) is not None]
                return merged(shapes, place) if shapes else None
        if "allOf" in parts:
            shapes = [s for e, h in self.program.elements(*parts["allOf"]) if (s := self.read(e, h)) is not None]
            fields = {f.name: f for s in shapes for f in s.fields}
            return Shape("object", closed=True, fields=tuple(fields.values()))
        return self._limited(self._typed(parts, place), parts, scope)

    def _typed(self, parts: dict[str, tuple[n.Expr, Scope]], place: Place) -> Shape:
        listed = [self.program.text(e, s) for e, s in self.program.elements(*parts["type"])] if "type" in parts else []
        given = self._constant(parts.get("type"))
        names = [x for x in (listed or [given]) if x is not None]
        nullable = "null" in names or self._constant(parts.get("nullable")) is True
        real = [x for x in names if x != "null"]
        type_: FieldType = _TYPES.get(str(real[0]), "any") if len(real) == 1 else "any"
        if not real and "properties" in parts:
            type_ = "object"
        return Shape(type_, nullable, closed=type_ == "boolean")

    def _limited(self, shape: Shape, parts: dict[str, tuple[n.Expr, Scope]], scope: Scope) -> Shape:
        rules: list[Rule] = []
        for kind in _LIMITS:
            if kind in parts:
                value = self._constant(parts[kind])
                known = value is not None
                text = parts[kind][1].module.text(parts[kind][0])
                rules.append(Rule(kind, value if known else text, self._place(*parts[kind]), known=known))
        if "enum" in parts:
            elements = self.program.elements(*parts["enum"])
            values = [self.program.constant(e, s) for e, s in elements]
            known = bool(values) and None not in values
            listed: object = (
                [v.value for v in values if v is not None] if known else scope.module.text(parts["enum"][0])
            )
            rules.append(Rule("enum", listed, self._place(*parts["enum"]), known=known))
        formats = any(r.kind == "format" and r.value in _CLOSED for r in rules)
        shape = shape.with_(rules=tuple(rules), closed=shape.closed or formats or "enum" in parts)
        if "properties" in parts:
            required = set()
            if "required" in parts:
                required = {self.program.text(e, s) for e, s in self.program.elements(*parts["required"])}
            fields = [
                self._field(name, e, s, name in required)
                for name, (e, s) in self._entries(*parts["properties"]).items()
            ]
            shape = shape.with_(fields=tuple(fields), closed=True)
        elif shape.type == "object":
            shape = shape.with_(values=Shape())
        if "items" in parts:
            shape = shape.with_(items=self.read(*parts["items"]) or Shape())
        elif shape.type == "array":
            shape = shape.with_(items=Shape())
        extra = self._constant(parts.get("additionalProperties"))
        return shape.with_(extra="forbid" if extra is False else "allow")

    def _field(self, name: str, expr: n.Expr, scope: Scope, required: bool) -> ShapeField:
        place = self._place(expr, scope)
        shape = self.read(expr, scope)
        followed = self.program.value(expr, scope)
        if shape is None:
            written = followed is not None and isinstance(followed[0], n.Entries) and not followed[0].entries
            shape = Shape() if written else UNKNOWN
        default = None
        if followed is not None and isinstance(followed[0], n.Entries):
            given = self._entries(*followed).get("default")
            if given is not None:
                constant = self.program.constant(*given)
                default = Default(constant is not None, constant.value if constant else None, place)
        return ShapeField(name, name, shape, required and default is None, place, default)

    # --- typebox ------------------------------------------------------------------------------------------------------

    def _built(self, call: n.Call, scope: Scope) -> Shape | None:
        full = self.program.name_of(call.func, scope) or ""
        builder = next((b for b in _BUILDERS if full.startswith(b + ".")), None)
        if builder is None:
            return None
        name, given = full[len(builder) + 1 :], call.positional
        first = given[0] if given else None
        if name in ("Optional", "Readonly", "Required") and first is not None:
            return self.read(first, scope)
        if name == "Partial" and first is not None:
            inner = self.read(first, scope)
            return _optional(inner) if inner is not None else None
        if name in ("Union", "Composite", "Intersect") and first is not None:
            shapes = [s for e, h in self.program.elements(first, scope) if (s := self.read(e, h)) is not None]
            if name == "Union":
                return merged(shapes, self._place(call, scope)) if shapes else None
            fields = {f.name: f for s in shapes for f in s.fields}
            return Shape("object", closed=True, fields=tuple(fields.values()))
        if name in ("Literal", "Enum", "TemplateLiteral") and first is not None:
            constant = self.program.constant(first, scope)
            elements = self.program.elements(n.Call(first.span, n.Member(first.span, first, "values"), ()), scope)
            listed = [self.program.constant(e, s) for e, s in elements]
            values = [constant.value] if constant is not None else [v.value for v in listed if v is not None]
            rule = Rule("const" if constant is not None else "enum", values[0] if constant is not None else values,
                        self._place(call, scope))  # fmt: skip
            return Shape("string" if all(isinstance(v, str) for v in values) else "any", closed=True, rules=(rule,))
        if name in ("Pick", "Omit") and first is not None and len(given) > 1:
            inner = self.read(first, scope)
            keys = {self.program.text(e, s) for e, s in self.program.elements(given[1], scope)}
            if inner is None:
                return None
            return inner.with_(fields=tuple(f for f in inner.fields if (f.name in keys) == (name == "Pick")))
        if name not in _BUILT:
            return None
        made = _BUILT[name]
        if made == "null":
            return Shape(none=True, nullable=True)
        type_: FieldType = _TYPES.get(made, "any")
        holds = name in ("Array", "Object")
        options = given[1] if holds and len(given) > 1 else first if not holds else None
        parts = self._entries(options, scope) if options is not None else {}
        shape = self._limited(Shape(type_, closed=type_ == "boolean"), parts, scope)
        if name == "Array" and first is not None:
            shape = shape.with_(items=self.read(first, scope) or UNKNOWN)
        if name == "Object" and first is not None:
            held = [
                self._field(k, e, s, not self._is_optional(e, s)) for k, (e, s) in self._entries(first, scope).items()
            ]
            shape = shape.with_(fields=tuple(held), closed=True, values=None)
        return shape

    def _is_optional(self, expr: n.Expr, scope: Scope) -> bool:
        followed = self.program.value(expr, scope)
        call = followed[0] if followed is not None else None
        return isinstance(call, n.Call) and (dotted(call.func) or "").endswith(".Optional")


def _optional(shape: Shape) -> Shape:
    fields = tuple(ShapeField(f.name, f.wire, f.shape, False, f.declared, f.default) for f in shape.fields)
    return shape.with_(fields=fields)


_WORDS = frozenset({"type", "properties", "enum", "const", "items", "oneOf", "anyOf", "allOf", "$ref", "required", "format",
                    "minLength", "maxLength", "pattern", "minimum", "maximum"})  # fmt: skip

vocabulary = JsonSchema()
