"""Schemas written as chains of calls (`lib.string().min(2).max(40)`): one reader, with a table a library."""

from collections.abc import Iterable, Mapping
from typing import Any, Literal, TypeAlias

import msgspec

from mappu.flow.words import Refer, RunWord, Told
from mappu.inventory.model import ConstraintKind, FieldType, Unfollowed
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own
from mappu.vocabularies.base_chain_parts import Part
from mappu.vocabularies.base_chain_steps import MAKE, STEPS, named
from mappu.vocabularies.shape import UNKNOWN, Reader, Rule, Shape, ShapeField

MAX_DEPTH = 24

# A limit's kind by the type it stands on ("" for any), or with a value it always has.
Limit: TypeAlias = ConstraintKind | Literal["length", "size"] | tuple[ConstraintKind, object]


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

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        reading = Reading(reader, self.library)
        found = reading.read(expr, scope) if reading.is_ours(expr, scope) else None
        return found.shape if found is not None else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        node, scope = target.node, target.scope
        if not isinstance(node, n.Variable | n.Assign) or node.value is None or scope is None:
            return False
        return isinstance(node.value, n.Call) and Reading(reader, self.library).is_ours(node.value, scope)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        func = call.func
        if not isinstance(func, n.Member) or func.name not in self.library.runs or not call.args:
            return None
        reading = Reading(reader, self.library)
        schema, holder = refer(func.value)
        argument = call.args[0].value
        if not reading.is_ours(schema, holder):
            return None
        return RunWord(schema, holder, argument, False, self.library.error, None, self.library.runs[func.name])

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


class Reading:
    """One schema being read."""

    def __init__(self, reader: Reader, library: Library) -> None:
        self.program: Program = reader.program
        self.library = library
        self.depth = 0
        self.inside: list[int] = []

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
            return self.object_of(expr, scope, expr)
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
        place = scope.module.place(call)
        if name in library.structure:
            made = MAKE.get(library.structure[name])
            if made is not None:
                return made(self, call, scope)
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
        rule = Rule("format", format_, scope.module.place(call), self.message(call, scope))
        closed = format_ in self.library.closed_formats
        return part.but(rules=(*part.shape.rules, rule), closed=part.shape.closed or closed)

    def object_of(self, expr: n.Expr | None, scope: Scope, at: n.Node) -> Part:
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
            declared = followed[1].module.place(value)
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
            done = STEPS.get(library.structure[name])
            if done is not None:
                return done(self, part, call, scope)
        place, message = scope.module.place(call), self.message(call, scope)
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
            return part.but(rules=(*shape.rules, Rule("custom", named(call, place), place, message)))
        return part

    def _limited(self, part: Part, limit: Limit, call: n.Call, scope: Scope, message: str | None) -> Part:
        shape, place = part.shape, scope.module.place(call)
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
