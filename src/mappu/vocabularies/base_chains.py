"""Schemas written as chains of calls (`lib.string().min(2).max(40)`): one reader, with a table a library."""

from collections.abc import Callable, Iterable, Mapping
from typing import Any, Literal, TypeAlias

import msgspec

from mappu.flow.words import Refer, RunWord, Told
from mappu.inventory.model import ConstraintKind, FieldType, Place, Unfollowed
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own
from mappu.vocabularies.shape import UNKNOWN, Default, Reader, Rule, Shape, ShapeField

MAX_DEPTH = 24

# A limit's kind by the type it stands on ("" for any), or with a value it always has.
Limit: TypeAlias = ConstraintKind | Literal["length", "size"] | tuple[ConstraintKind, object]


class Part(msgspec.Struct, frozen=True):
    """A schema with what it says of the field that has it: whether it may be left out, and its default."""

    shape: Shape
    optional: bool = False
    default: Default | None = None

    def but(self, **changes: Any) -> "Part":
        """The same with some of the shape changed."""
        return Part(self.shape.with_(**changes), self.optional, self.default)


class Library(msgspec.Struct, frozen=True):
    """What a library calls things.

    - `packages`: names that lead to it. `makers`: functions that begin a chain, to a type or to the word of a way of making.
    - `limits`: methods to what they limit, by type. `formats`, `patterns`: methods that stand for one.
    - `structure`: methods and makers to the word of what they do to a schema.
    - `optional`: a field may be left out unless it says otherwise. `extra`: what happens to fields nobody declared.
    - `runs`: methods that check a value, to what they tell; an empty one throws `error`.
    """

    packages: frozenset[str]
    makers: Mapping[str, str]
    limits: Mapping[str, Mapping[str, Limit]]
    formats: Mapping[str, str]
    patterns: Mapping[str, str]
    structure: Mapping[str, str]
    optional: bool
    extra: Any
    runs: Mapping[str, Mapping[str, Told]]
    error: str
    custom: frozenset[str]
    closed_formats: frozenset[str] = frozenset({"uuid", "date-time", "date", "time", "ipv4", "ipv6", "ip"})


_TYPES: dict[str, FieldType] = {
    "string": "string", "number": "number", "integer": "integer", "boolean": "boolean", "array": "array", "object": "object",
    "any": "any", "file": "file",
}  # fmt: skip


class Chains:
    """A vocabulary of one library; its module makes one."""

    language = "javascript"

    def __init__(self, name: str, tokens: tuple[bytes, ...], library: Library) -> None:
        self.name, self.tokens, self.library = name, tokens, library
        self.error_parents: Mapping[str, str] = {library.error: "Error"}
        self.error_aliases: Mapping[str, str] = {}

    # --- the vocabulary -----------------------------------------------------------------------------------------------

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope) -> Shape:
        reading = _Reading(reader, self.library)
        found = reading.read(expr, scope) if reading.is_ours(expr, scope) else None
        return found.shape if found is not None else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        node, scope = target.node, target.scope
        if not isinstance(node, n.Variable | n.Assign) or node.value is None or scope is None:
            return False
        return isinstance(node.value, n.Call) and _Reading(reader, self.library).is_ours(node.value, scope)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        func = call.func
        if not isinstance(func, n.Member) or func.name not in self.library.runs or not call.args:
            return None
        reading = _Reading(reader, self.library)
        schema, holder = refer(func.value)
        argument = call.args[0].value
        if not reading.is_ours(schema, holder):
            return None
        return RunWord(schema, holder, argument, False, self.library.error, None, self.library.runs[func.name])

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


class _Reading:
    """One schema being read."""

    def __init__(self, reader: Reader, library: Library) -> None:
        self.program: Program = reader.program
        self.library = library
        self.depth = 0
        self.inside: list[int] = []

    def place(self, node: n.Node, scope: Scope) -> Place:
        return Place(scope.module.path, node.line, scope.module.text(node)[:160])

    def library_name(self, expr: n.Expr, scope: Scope) -> str | None:
        """The name inside the library that an expression leads to ("" for the library itself); None for anything else."""
        root = expr
        while isinstance(root, n.Member):
            root = root.value
        begins = self.program.resolve(root, scope) if isinstance(root, n.Name) else None
        if begins is None or begins.scope is not None:
            # Something of the service's own, even where it was made by the library.
            return None
        full = self.program.name_of(expr, scope)
        if full is None:
            return None
        for package in sorted(self.library.packages, key=len, reverse=True):
            if full == package:
                return ""
            if full.startswith(package + "."):
                return full[len(package) + 1 :]
        return None

    def is_ours(self, expr: n.Expr, scope: Scope, steps: int = 0) -> bool:
        """True where the chain begins with the library."""
        if steps > MAX_DEPTH:
            return False
        while isinstance(expr, n.Call | n.Member):
            if self.library_name(expr, scope) is not None:
                return True
            inner = expr.func if isinstance(expr, n.Call) else expr.value
            if isinstance(expr, n.Member):
                followed = self.program.value(expr, scope)
                if followed is not None and followed[0] is not expr:
                    return self.is_ours(*followed, steps + 1)
            if isinstance(inner, n.Name) and isinstance(expr, n.Call):
                made = self._returned(inner, scope)
                if made is not None:
                    return self.is_ours(*made, steps + 1)
            expr = inner
        if not isinstance(expr, n.Name):
            return False
        if self.library_name(expr, scope) is not None:
            return True
        followed = self.program.value(expr, scope)
        return followed is not None and followed[0] is not expr and self.is_ours(*followed, steps + 1)

    def _returned(self, func: n.Expr, scope: Scope) -> tuple[n.Expr, Scope] | None:
        """What a function of the service gives back."""
        target = self.program.resolve(func, scope)
        if target is None or not isinstance(target.node, n.Function) or target.scope is None:
            return None
        for stmt in own(*target.node.body):
            if isinstance(stmt, n.Leave) and stmt.kind == "return" and stmt.value is not None:
                return stmt.value, self.program.scope_of(target.node, target.scope)
        return None

    def read(self, expr: n.Expr | None, scope: Scope) -> Part | None:
        """Return the schema an expression stands for; None where it is none of this library's."""
        if expr is None or self.depth > MAX_DEPTH:
            return None
        self.depth += 1
        try:
            return self._read(expr, scope)
        finally:
            self.depth -= 1

    def _read(self, expr: n.Expr, scope: Scope) -> Part | None:
        if isinstance(expr, n.Call):
            return self._call(expr, scope)
        if isinstance(expr, n.Entries) and self.library.structure.get("{}") == "object":
            # An object written out stands for a schema of it.
            return self._object(expr, scope, expr)
        if not isinstance(expr, n.Name | n.Member):
            return None
        if isinstance(expr, n.Member):
            member = self._member(expr, scope)
            if member is not None:
                return member
        followed = self.program.value(expr, scope)
        if followed is None or followed[0] is expr:
            return None
        key = id(followed[0])
        if key in self.inside:
            # A schema inside itself: it is laid out one level up.
            target = self.program.resolve(expr, scope)
            return Part(Shape("object", closed=True, target=target))
        self.inside.append(key)
        found = self.read(*followed)
        self.inside.pop()
        if found is not None and found.shape.fields and found.shape.model is None:
            return found.but(model=(dotted(expr) or "").rpartition(".")[2] or None)
        return found

    def _member(self, expr: n.Member, scope: Scope) -> Part | None:
        """`schema.shape.name`, `schema.element`."""
        if expr.name in ("element", "innerType"):
            base = self.read(expr.value, scope)
            return Part(base.shape.items) if base is not None and base.shape.items is not None else None
        if isinstance(expr.value, n.Member) and expr.value.name == "shape":
            base = self.read(expr.value.value, scope)
            field = next((f for f in base.shape.fields if f.name == expr.name), None) if base is not None else None
            return Part(field.shape, not field.required, field.default) if field is not None else None
        return None

    def _call(self, call: n.Call, scope: Scope) -> Part | None:
        name = self.library_name(call.func, scope)
        if name is not None:
            return self._make(name.rpartition(".")[2], name, call, scope)
        if isinstance(call.func, n.Member):
            base = self.read(call.func.value, scope)
            if base is None:
                return None
            return self._step(base, call.func.name, call, scope)
        made = self._returned(call.func, scope)
        return self.read(*made) if made is not None else None

    # --- making -------------------------------------------------------------------------------------------------------

    def _make(self, name: str, full: str, call: n.Call, scope: Scope) -> Part | None:
        library = self.library
        place = self.place(call, scope)
        if name in library.structure:
            made = _MAKE.get(library.structure[name])
            if made is not None:
                return made(self, call, scope)
        optional = library.optional
        if name in library.formats and "string" not in library.makers.get(name, "string"):
            optional = library.optional
        if full.startswith("iso.") and name in library.formats:
            return self._with_format(Part(Shape("string"), optional), library.formats[name], call, scope)
        if name in library.makers:
            type_ = _TYPES[library.makers[name]]
            lax = full.startswith("coerce.")
            shape = Shape(type_, closed=type_ == "boolean" and not lax)
            part = Part(shape, optional)
            if type_ == "number" and library.makers[name] != name and name in ("int", "int32", "bigint"):
                part = part.but(type="integer")
            if name == "date":
                return part.but(rules=(Rule("format", "date-time", place),), closed=True)
            return part
        if name in library.formats:
            return self._with_format(Part(Shape("string"), optional), library.formats[name], call, scope)
        return Part(
            Shape(known=False, unfollowed=(Unfollowed(place.file, place.line, f"`{name}` is no schema known here"),))
        )

    def _with_format(self, part: Part, format_: str, call: n.Call, scope: Scope) -> Part:
        rule = Rule("format", format_, self.place(call, scope), self.message(call, scope))
        closed = format_ in self.library.closed_formats
        return part.but(rules=(*part.shape.rules, rule), closed=part.shape.closed or closed)

    def _object(self, expr: n.Expr | None, scope: Scope, at: n.Node) -> Part:
        shape = Shape("object", closed=True, extra=self.library.extra)
        fields = self.fields(expr, scope) if expr is not None else []
        if expr is None:
            shape = shape.with_(closed=False, values=Shape())
        return Part(shape.with_(fields=tuple(fields)), self.library.optional)

    def fields(self, expr: n.Expr, scope: Scope) -> list[ShapeField]:
        """The fields of an object written out: each a schema; what is spread in counts too."""
        followed = self.program.value(expr, scope) if not isinstance(expr, n.Entries) else (expr, scope)
        if isinstance(expr, n.Member) and expr.name == "shape":
            base = self.read(expr.value, scope)
            return list(base.shape.fields) if base is not None else []
        if followed is None or not isinstance(followed[0], n.Entries):
            return []
        found: dict[str, ShapeField] = {}
        for key, value in followed[0].entries:
            if key is None:
                for field in self.fields(value, followed[1]):
                    found[field.name] = field
                continue
            name = self.program.text(key, followed[1])
            if name is None:
                continue
            part = self.read(value, followed[1])
            declared = self.place(value, followed[1])
            if part is None:
                text = f"what `{name}` may be could not be followed"
                part = Part(Shape(known=False, unfollowed=(Unfollowed(declared.file, declared.line, text),)))
            required = not part.optional and part.default is None
            if (
                part.shape.type == "any"
                and part.shape.known
                and not part.shape.rules
                and self.library.error == "zod.ZodError"
            ):
                # Anything is let through, nothing at all included.
                required = False
            found[name] = ShapeField(name, name, part.shape, required, declared, part.default)
        return list(found.values())

    # --- steps --------------------------------------------------------------------------------------------------------

    def _step(self, part: Part, name: str, call: n.Call, scope: Scope) -> Part:
        library, shape = self.library, part.shape
        if name in library.structure:
            done = _STEPS.get(library.structure[name])
            if done is not None:
                return done(self, part, call, scope)
        place, message = self.place(call, scope), self.message(call, scope)
        if name in library.limits:
            limit = library.limits[name].get(shape.type) or library.limits[name].get("")
            if limit is not None:
                return self._limited(part, limit, call, scope, message)
        if name in library.formats and shape.type in ("string", "any"):
            return self._with_format(part, library.formats[name], call, scope)
        if name in library.patterns:
            text = self.program.text(call.positional[0], scope) if call.positional else ""
            pattern = library.patterns[name].format(_escaped(text or ""))
            return part.but(rules=(*shape.rules, Rule("pattern", pattern, place, message)))
        if name in library.custom:
            return part.but(rules=(*shape.rules, Rule("custom", _named(call, place), place, message)))
        return part

    def _limited(self, part: Part, limit: Limit, call: n.Call, scope: Scope, message: str | None) -> Part:
        shape, place = part.shape, self.place(call, scope)
        kinds: tuple[ConstraintKind, ...]
        if isinstance(limit, tuple):
            value, known = limit[1], True
            if limit[0] == "type":
                return part.but(type=value)
            kinds = (limit[0],)
        else:
            value, known = self.value(call.positional[0], scope) if call.positional else (None, False)
            kinds = _BOTH[limit] if limit == "length" or limit == "size" else (limit,)
        rules = [Rule(k, value, place, message, known=known) for k in kinds]
        return part.but(rules=(*shape.rules, *rules))

    def value(self, expr: n.Expr, scope: Scope) -> tuple[object, bool]:
        """The constant an argument is, a pattern's text, another field's name, or else its source."""
        found = self.program.constant(expr, scope)
        if found is not None:
            return found.value, True
        followed = self.program.value(expr, scope)
        if followed is not None and isinstance(followed[0], n.Call) and followed[0].positional:
            called = (dotted(followed[0].func) or "").rpartition(".")[2]
            if called in ("RegExp", "ref"):
                return self.program.text(followed[0].positional[0], followed[1]), True
        return scope.module.text(expr), False

    def values(self, exprs: Iterable[n.Expr], scope: Scope) -> list[object] | None:
        """The constants listed; None where one of them cannot be told."""
        found: list[object] = []
        for expr in exprs:
            elements = self.program.elements(expr, scope) if not isinstance(expr, n.Literal) else []
            elements = elements or self.program.elements(
                n.Call(expr.span, n.Member(expr.span, expr, "values"), ()), scope
            )
            for each, holder in elements or [(expr, scope)]:
                constant = self.program.constant(each, holder)
                if constant is None:
                    return None
                found.append(constant.value)
        return found

    def message(self, call: n.Call, scope: Scope) -> str | None:
        """The message given with a rule, as text or as an option."""
        for expr in reversed(call.positional):
            followed = self.program.value(expr, scope)
            if followed is None:
                continue
            value, holder = followed
            if isinstance(value, n.Literal) and isinstance(value.value, str) and len(call.positional) > 1:
                return value.value
            if isinstance(value, n.Entries):
                for key, inner in value.entries:
                    if isinstance(key, n.Literal) and key.value in (
                        "message",
                        "error",
                        "required_error",
                        "invalid_type_error",
                    ):
                        return self.program.text(inner, holder)
        return None


_BOTH: dict[str, tuple[ConstraintKind, ConstraintKind]] = {
    "length": ("minLength", "maxLength"),
    "size": ("minItems", "maxItems"),
}


def _escaped(text: str) -> str:
    return "".join("\\" + c if c in r"\^$.|?*+()[]{}" else c for c in text)


def _named(call: n.Call, place: Place) -> str:
    """The name of the function handed over, or the source."""
    first = call.positional[0] if call.positional else None
    name = dotted(first) if isinstance(first, n.Name | n.Member) else None
    return name or place.text or ""


# --- what makers do ---------------------------------------------------------------------------------------------------

Maker = Callable[[_Reading, n.Call, Scope], Part | None]
Step = Callable[[_Reading, Part, n.Call, Scope], Part]


def _first(call: n.Call, position: int = 0) -> n.Expr | None:
    return call.positional[position] if len(call.positional) > position else None


def _make_object(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    found = reading._object(_first(call), scope, call)
    name = (dotted(call.func) or "").rpartition(".")[2]
    extra = {"strictObject": "forbid", "looseObject": "allow"}.get(name)
    return found.but(extra=extra) if extra is not None else found


def _make_array(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    inner = reading.read(_first(call), scope)
    items = inner.shape if inner is not None else Shape() if not call.args else UNKNOWN
    rules = (
        (Rule("uniqueItems", True, reading.place(call, scope)),) if (dotted(call.func) or "").endswith("set") else ()
    )
    return Part(Shape("array", items=items, rules=rules), reading.library.optional)


def _make_tuple(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    parts = [reading.read(e, s) for e, s in reading.program.elements(_first(call), scope)]
    shapes = [p.shape if p is not None else UNKNOWN for p in parts]
    place = reading.place(call, scope)
    rules = (Rule("minItems", len(shapes), place), Rule("maxItems", len(shapes), place))
    return Part(Shape("array", items=merged(shapes, place) if shapes else Shape(), rules=rules))


def _make_record(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    last = call.positional[-1] if call.positional else None
    inner = reading.read(last, scope)
    return Part(Shape("object", values=inner.shape if inner is not None else Shape()), reading.library.optional)


def _make_union(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    listed: list[tuple[n.Expr, Scope]] = []
    for expr in call.positional:
        if isinstance(expr, n.Literal):
            continue
        listed.extend(reading.program.elements(expr, scope) or [(expr, scope)])
    parts = [p for e, s in listed if (p := reading.read(e, s)) is not None]
    optional = any(p.optional for p in parts) if not reading.library.optional else True
    return Part(merged([p.shape for p in parts], reading.place(call, scope)), optional)


def _make_literal(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional[:1], scope)
    return _listed(reading, Part(Shape(), reading.library.optional), values, call, scope)


def _make_enum(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional[:1], scope)
    return _listed(reading, Part(Shape(), reading.library.optional), values, call, scope)


def _listed(reading: _Reading, part: Part, values: list[object] | None, call: n.Call, scope: Scope) -> Part:
    place = reading.place(call, scope)
    message = reading.message(call, scope)
    if values is None:
        return part.but(rules=(*part.shape.rules, Rule("enum", place.text, place, message, known=False)), closed=True)
    nullable = None in values
    real = [v for v in values if v is not None]
    rule = Rule("const", real[0], place, message) if len(real) == 1 else Rule("enum", real, place, message)
    type_ = part.shape.type
    if type_ == "any":
        kinds = {type(v) for v in real}
        type_ = (
            "string"
            if kinds == {str}
            else "boolean"
            if kinds == {bool}
            else "number"
            if kinds <= {int, float} and kinds
            else "any"
        )
    rules = (*part.shape.rules, rule) if real else part.shape.rules
    return part.but(type=type_, closed=True, nullable=nullable or part.shape.nullable, rules=rules, none=not real)


def _make_inner(reading: _Reading, call: n.Call, scope: Scope) -> Part | None:
    """A maker around one schema, or around a function that gives it."""
    last = call.positional[-1] if call.positional else None
    if isinstance(last, n.Function):
        inner = reading.program.scope_of(last, scope)
        given = next((s.value for s in last.body if isinstance(s, n.Leave)), None)
        return reading.read(given, inner)
    return reading.read(last, scope)


def _make_optional(reading: _Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return Part(found.shape, True, found.default) if found is not None else None


def _make_nullable(reading: _Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return found.but(nullable=True) if found is not None else None


def _make_nullish(reading: _Reading, call: n.Call, scope: Scope) -> Part | None:
    found = reading.read(_first(call), scope)
    return Part(found.shape.with_(nullable=True), True) if found is not None else None


def _make_both(reading: _Reading, call: n.Call, scope: Scope) -> Part | None:
    parts = [reading.read(e, scope) for e in call.positional[:2]]
    if len(parts) < 2 or parts[0] is None or parts[1] is None:
        return parts[0] if parts else None
    return parts[0].but(fields=_over(parts[0].shape.fields, parts[1].shape.fields))


def _make_nothing(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    return Part(Shape(none=True, nullable=True))


def _make_custom(reading: _Reading, call: n.Call, scope: Scope) -> Part:
    place = reading.place(call, scope)
    return Part(Shape(rules=(Rule("custom", _named(call, place), place),)), reading.library.optional)


_MAKE: dict[str, Maker] = {
    "object": _make_object, "array": _make_array, "tuple": _make_tuple, "record": _make_record, "union": _make_union,
    "literal": _make_literal, "enum": _make_enum, "inner": _make_inner, "optional": _make_optional,
    "nullable": _make_nullable, "nullish": _make_nullish, "both": _make_both, "nothing": _make_nothing, "custom": _make_custom,
}  # fmt: skip


# --- what steps do ----------------------------------------------------------------------------------------------------


def merged(shapes: list[Shape], place: Place) -> Shape:
    """One shape of several alternatives: the fields of all; limits that all of the same type share are kept."""
    real = [s for s in shapes if not s.none]
    nullable = len(real) < len(shapes) or any(s.nullable for s in real)
    if len(real) == 1:
        return real[0].with_(nullable=nullable)
    if not real:
        return Shape(none=True, nullable=True)
    types = sorted({s.type for s in real})
    same: FieldType = types[0] if len(types) == 1 else "number" if types == ["integer", "number"] else "any"
    rules: list[Rule] = []
    if same == "any" and "any" not in types:
        rules.append(Rule("type", types, place))
    listed = [r for s in real for r in s.rules if r.kind in ("enum", "const")]
    if len(listed) >= len(real) and all(any(r.kind in ("enum", "const") for r in s.rules) for s in real):
        values: list[object] = []
        for rule in listed:
            values.extend(v for v in (rule.value if isinstance(rule.value, list) else [rule.value]) if v not in values)
        rules.append(Rule("enum", values, listed[0].declared))
    else:
        for shape in real:
            for rule in shape.rules:
                others = [s for s in real if s is not shape and s.type in (shape.type, "any")]
                if all(any(r.kind == rule.kind for r in s.rules) for s in others) and rule not in rules:
                    rules.append(rule)
    by_name: dict[str, list[ShapeField]] = {}
    for shape in real:
        for field in shape.fields:
            by_name.setdefault(field.name, []).append(field)
    objects = sum(bool(s.fields) for s in real)
    fields = []
    for each in by_name.values():
        inner = merged([f.shape for f in each], place) if len(each) > 1 else each[0].shape
        required = len(each) == objects and all(f.required for f in each)
        fields.append(msgspec.structs.replace(each[0], shape=inner, required=required))
    return Shape(
        same, nullable, closed=all(s.closed for s in real), known=all(s.known for s in real), rules=tuple(rules),
        fields=tuple(fields), items=next((s.items for s in real if s.items), None),
        values=next((s.values for s in real if s.values), None), alternatives=True,
        model=" | ".join(dict.fromkeys(s.model for s in real if s.model)) or None,
        unfollowed=tuple(x for s in real for x in s.unfollowed),
    )  # fmt: skip


def _over(first: tuple[ShapeField, ...], second: Iterable[ShapeField]) -> tuple[ShapeField, ...]:
    """The fields of both, the second's winning."""
    return tuple(({f.name: f for f in first} | {f.name: f for f in second}).values())


def _optional(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape, True, part.default)


def _required(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape, False, part.default)


def _nullable(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(nullable=not (call.positional and _is_false(call.positional[0])))


def _nullish(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(part.shape.with_(nullable=True), True, part.default)


def _default(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    given = _first(call)
    constant = reading.program.constant(given, scope) if given is not None else None
    value = constant.value if constant is not None else None
    return Part(part.shape, True, Default(constant is not None, value, reading.place(call, scope)))


def _caught(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """Bad input is replaced by something else: nothing is ever refused."""
    return Part(Shape("any", model=part.shape.model), True, part.default)


def _extend(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    given = _first(call)
    if given is None:
        return part
    fields = reading.fields(given, scope)
    if not fields:
        other = reading.read(given, scope)
        fields = list(other.shape.fields) if other is not None else []
    shape = part.shape
    if shape.values is not None and not shape.fields:
        shape = shape.with_(values=None, closed=True)
    return Part(shape.with_(fields=_over(shape.fields, fields), model=None), part.optional, part.default)


def _both(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    other = reading.read(_first(call), scope)
    return part.but(fields=_over(part.shape.fields, other.shape.fields)) if other is not None else part


def _or(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    others = [p for e in call.positional if (p := reading.read(e, scope)) is not None]
    shapes = [part.shape, *(p.shape for p in others)]
    return Part(merged(shapes, reading.place(call, scope)), part.optional or any(p.optional for p in others))


def _keys(reading: _Reading, call: n.Call, scope: Scope) -> list[str] | None:
    """The names picked or left out, as a list or as an object of trues; None where it is not said which."""
    given = _first(call)
    if given is None:
        return None
    followed = reading.program.value(given, scope)
    if followed is not None and isinstance(followed[0], n.Entries):
        return [t for k, _ in followed[0].entries if (t := reading.program.text(k, followed[1])) is not None]
    found = [reading.program.text(e, s) for e, s in reading.program.elements(given, scope)]
    return [f for f in found if f is not None]


def _pick(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope) or []
    return part.but(fields=tuple(f for f in part.shape.fields if f.name in names), model=None)


def _omit(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope) or []
    return part.but(fields=tuple(f for f in part.shape.fields if f.name not in names), model=None)


def _partial(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = _keys(reading, call, scope)
    return _presence(part, names, False)


def _all_required(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    if part.shape.type != "object" or not part.shape.fields:
        return Part(part.shape, False, part.default)
    return _presence(part, _keys(reading, call, scope), True)


def _presence(part: Part, names: list[str] | None, required: bool) -> Part:
    changed = (
        msgspec.structs.replace(f, required=required) if names is None or f.name in names else f
        for f in part.shape.fields
    )  # fmt: skip
    return part.but(fields=tuple(changed))


def _strict(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="forbid" if not (call.positional and _is_false(call.positional[0])) else "allow")


def _open(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="forbid" if call.positional and _is_false(call.positional[0]) else "allow")


def _strip(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return part.but(extra="ignore")


def _list(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    return Part(Shape("array", items=part.shape), reading.library.optional)


def _items(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    parts = [p for e in call.positional if (p := reading.read(e, scope)) is not None]
    return part.but(items=merged([p.shape for p in parts], reading.place(call, scope)) if parts else Shape())


def _valid(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    same = _same_as(reading, part, call, scope)
    return same or _listed(reading, part, reading.values(call.positional, scope), call, scope)


def _one_of(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    same = _same_as(reading, part, call, scope)
    return same or _listed(reading, part, reading.values(call.positional[:1], scope), call, scope)


def _same_as(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part | None:
    """A value that must be another field's."""
    given = _first(call)
    listed = reading.program.elements(given, scope) if given is not None else []
    inner, holder = listed[0] if listed else (given, scope)
    if isinstance(inner, n.Call) and (dotted(inner.func) or "").rpartition(".")[2] == "ref" and inner.positional:
        name = reading.program.text(inner.positional[0], holder)
        return part.but(rules=(*part.shape.rules, Rule("equalsField", name, reading.place(call, scope))))
    return None


def _allow(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    values = reading.values(call.positional, scope) or []
    return part.but(nullable=part.shape.nullable or None in values)


def _at_least_one(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    names = [t for e in call.positional if (t := reading.program.text(e, scope)) is not None]
    place = reading.place(call, scope)
    fields = tuple(
        msgspec.structs.replace(f, shape=f.shape.with_(rules=(*f.shape.rules, Rule("atLeastOneOf", sorted(names), place))))
        if f.name in names else f
        for f in part.shape.fields
    )  # fmt: skip
    return part.but(fields=fields)


def _piped(reading: _Reading, part: Part, call: n.Call, scope: Scope) -> Part:
    """What a schema makes goes into another one, whose limits count as well."""
    other = reading.read(_first(call), scope)
    if other is None:
        return part
    return part.but(rules=(*part.shape.rules, *other.shape.rules), fields=part.shape.fields or other.shape.fields)


def _is_false(expr: n.Expr) -> bool:
    return isinstance(expr, n.Literal) and expr.value is False


_STEPS: dict[str, Step] = {
    "optional": _optional, "required": _required, "nullable": _nullable, "nullish": _nullish, "default": _default,
    "caught": _caught, "extend": _extend, "both": _both, "or": _or, "pick": _pick, "omit": _omit, "partial": _partial,
    "all-required": _all_required, "strict": _strict, "open": _open, "strip": _strip, "array": _list, "items": _items,
    "valid": _valid, "one-of": _one_of, "allow": _allow, "at-least-one": _at_least_one, "piped": _piped,
}  # fmt: skip
