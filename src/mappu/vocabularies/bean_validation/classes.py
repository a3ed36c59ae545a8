"""Beans read to shapes: their properties as the JSON binder sees them, with the constraints on each."""

import re
from collections.abc import Iterator, Mapping

import msgspec

from mappu.symbols.java import is_kotlin
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.annotations import CONVERT, SEQUENCE, VALID
from mappu.vocabularies.bean_validation.constraints import EMITS, UNSEEN, Constraints, argument
from mappu.vocabularies.bean_validation.mappings import written
from mappu.vocabularies.bean_validation.types import (
    FILES,
    FORMATS,
    FREE,
    LISTS,
    MAPS,
    PRIMITIVES,
    STREAMS,
    TYPES,
    WRAPPERS,
)  # fmt: skip
from mappu.vocabularies.shape import UNKNOWN, Reader, Rule, Shape, ShapeField, refuses_zero, written_default

MAX_DEPTH = 12
_JSON = "com.fasterxml.jackson.annotation."
_NAMING = ("com.fasterxml.jackson.databind.annotation.JsonNaming",)
_ACCESSORS = frozenset({"Data", "Getter", "Setter", "Value", "Builder"})
_ENTITIES = frozenset({f"{p}.persistence.{x}" for p in ("jakarta", "javax") for x in ("Entity", "MappedSuperclass")}
                      | {"org.springframework.data.mongodb.core.mapping.Document",
                         "org.springframework.data.relational.core.mapping.Table"})  # fmt: skip

# Words by which an enum is made of other text than the names of its constants.
_OWN_NAMES = (b"@JsonValue", b"@JsonCreator", b"@JsonProperty", b"@SerializedName", b" fromString(", b" forValue(")

# What the names of a class's type parameters stand for.
Given = Mapping[str, tuple[n.Expr, Scope]]
Property = tuple[n.Variable, Scope, Given, tuple[tuple[n.Mark, Scope], ...]]


class Reading:
    """Reads beans of one service, as one set of validated groups sees them. `cascades` where whoever runs the rules goes into
    what is nested by itself."""

    def __init__(self, reader: Reader, groups: frozenset[str] = frozenset({"Default"}), cascades: bool = False) -> None:
        self.reader, self.groups, self.cascades = reader, groups, cascades
        self.program: Program = reader.program
        self.constraints = Constraints(reader, groups)
        self.written = written(reader)

    def name(self, expr: n.Expr | None, scope: Scope) -> str:
        return self.program.name_of(expr, scope) or ""

    # --- types --------------------------------------------------------------------------------------------------------

    def of_type(self, type_: n.Expr | None, scope: Scope, inside: tuple[int, ...] = (), given: Given | None = None,
                marks: tuple[tuple[n.Mark, Scope], ...] = (), below: str | None = None) -> Shape:  # fmt: skip
        """Return the shape of a declared type with the annotations on it. `below` names the field that has it, where there is
        one: what is in a bean there is looked at only where it says so."""
        if isinstance(type_, n.Name) and given is not None and type_.id in given:
            return self.of_type(*given[type_.id], inside, None, marks, below)
        if isinstance(type_, n.Binary) and type_.op == "|":
            # A type that says by itself that null is no value of it, or that it is.
            found = self.of_type(type_.left, scope, inside, given, marks, below)
            return (
                found
                if any(r.kind in _REFUSING and r.skipped is None for r in found.rules)
                else found.with_(nullable=True)
            )
        base: n.Expr | None = type_
        args: tuple[n.Expr, ...] = ()
        if isinstance(type_, n.Index):
            base = type_.value
            args = type_.index.items if isinstance(type_.index, n.Items) else (type_.index,)
        if dotted(base) == "Annotated" and args:
            kept = not is_kotlin(scope) or any(EMITS in m.flags for m in self.reader.service.manifests)
            own = tuple(
                (n.Mark(a.span, a.func, a.args, "annotation", None if kept else "type"), scope)
                for a in args[1:] if isinstance(a, n.Call)
            )  # fmt: skip
            return self.of_type(args[0], scope, inside, given, (*own, *marks), below)
        name = self.name(base, scope) or dotted(base) or ""
        cascades = any(self.name(m.name, s) in VALID and m.site not in UNSEEN for m, s in marks)
        entered = None if cascades or self.cascades or below is None else below
        shape = self._converted(marks)._of_name(name, base, args, scope, inside, given, entered)
        return self._limited(shape, name, marks)

    def _converted(self, marks: tuple[tuple[n.Mark, Scope], ...]) -> "Reading":
        """Who reads what is inside: as other groups see it, where an annotation says so."""
        groups = set(self.groups)
        for mark, scope in marks:
            if self.name(mark.name, scope) in CONVERT:
                left, put = (self._group(argument(mark, x), scope) for x in ("from", "to"))
                if (left or "Default") in self.groups:
                    groups = groups - {left or "Default"} | {put}
        return self if groups == self.groups else Reading(self.reader, frozenset(groups), self.cascades)

    def _group(self, given: n.Expr | None, scope: Scope) -> str:
        return (self.name(given, scope) or dotted(given) or "").rpartition(".")[2]

    def _of_name(self, name: str, base: n.Expr | None, args: tuple[n.Expr, ...], scope: Scope, inside: tuple[int, ...],
                 given: Given | None, below: str | None) -> Shape:  # fmt: skip
        if name in WRAPPERS and args:
            return self.of_type(args[0], scope, inside, given, (), below).with_(nullable=name == "java.util.Optional")
        if name in TYPES:
            type_ = TYPES[name]
            return Shape(type_, nullable=name not in PRIMITIVES, closed=type_ == "boolean")
        if name in FORMATS:
            rule = Rule("format", FORMATS[name], scope.module.place(base), typed=True) if base is not None else None
            return Shape("string", nullable=True, closed=True, rules=(rule,) if rule is not None else ())
        if name in FILES:
            return Shape("file")
        if name in FREE:
            return Shape("any", nullable=True)
        if name in LISTS or name in STREAMS:
            items = self.of_type(args[0], scope, inside, given, (), below) if args else Shape()
            return Shape("array", nullable=True, items=items)
        if name in MAPS:
            values = self.of_type(args[-1], scope, inside, given, (), below) if args else Shape()
            return Shape("object", nullable=True, values=values)
        target = self.program.resolve(base, scope) if isinstance(base, n.Name | n.Member) else None
        if target is None or target.scope is None or not isinstance(target.node, n.Class):
            return UNKNOWN
        if target.node.form == "enum":
            span, source = target.node.span, target.scope.module.source
            if any(source.find(word, span.start, span.end) >= 0 for word in _OWN_NAMES):
                # It says by itself which text stands for which of them.
                return Shape("string", nullable=True, closed=True, model=target.node.name)
            names = [m.name for m in target.node.body if isinstance(m, n.Variable)]
            rule = Rule("enum", names, target.scope.module.place(target.node), typed=True)
            return Shape("string", nullable=True, closed=True, rules=(rule,) if names else (), model=target.node.name)
        if target.node.form == "interface" and not self.properties(target):
            return UNKNOWN
        return self.of_class(target, inside, self._bound(target.node, args, scope, given), below)

    def _bound(self, node: n.Class, args: tuple[n.Expr, ...], scope: Scope, given: Given | None) -> Given:
        """What a class's type parameters stand for where it is named with these arguments."""
        found: dict[str, tuple[n.Expr, Scope]] = {}
        for name, arg in zip(node.type_params, args, strict=False):
            found[name] = given[arg.id] if given and isinstance(arg, n.Name) and arg.id in given else (arg, scope)
        return found

    def _limited(self, shape: Shape, name: str, marks: tuple[tuple[n.Mark, Scope], ...]) -> Shape:
        """The shape with what the annotations on it say."""
        found = [r for m, s in marks for r in self.constraints.of_mark(m, s, shape, name in PRIMITIVES)]
        if not found:
            return shape
        nullable = shape.nullable and not any(r.kind in _REFUSING and r.skipped is None for r in found)
        notes = tuple(x for m, s in marks for x in self.constraints.notes(m, s, name in PRIMITIVES))
        return shape.with_(rules=(*shape.rules, *found), nullable=nullable, notes=(*shape.notes, *notes))

    # --- beans --------------------------------------------------------------------------------------------------------

    def is_model(self, target: Target) -> bool:
        """True for a bean with a constraint on any of its properties, its own or inherited."""
        return any(
            self.constraints.is_constraint(m, s)
            for _, _, _, marks in self.properties(target).values()
            for m, s in marks
        )

    def of_class(self, target: Target, inside: tuple[int, ...] = (), given: Given | None = None,
                 below: str | None = None) -> Shape:  # fmt: skip
        """Return the shape of a bean: its properties with their constraints, those it inherits first."""
        node = target.node
        assert isinstance(node, n.Class)
        assert target.scope is not None
        model = node.name
        if id(node) in inside or len(inside) > MAX_DEPTH:
            return Shape("object", nullable=True, closed=True, target=target, model=model)
        snake = self._names_snake(node, target.scope)
        record = any(dotted(m.name) == "record" for m in node.marks)
        fields: list[ShapeField] = []
        for name, (variable, scope, env, marks) in self.properties(target, given).items():
            shape = self.of_type(variable.type, scope, (*inside, id(node)), env, marks, below=name)
            if is_kotlin(scope) and not (isinstance(variable.type, n.Binary) and variable.type.op == "|"):
                # The type says that null is no value of it.
                shape = shape.with_(nullable=False)
            if below is not None:
                shape = _unentered(shape, below)
            default = written_default(self.program, variable, scope) if not record else None
            required = any(r.kind in _REFUSING and r.skipped is None for r in shape.rules)
            required = required or (not shape.nullable and dotted(variable.type) not in PRIMITIVES and is_kotlin(scope))
            if dotted(variable.type) in PRIMITIVES and not is_kotlin(scope):
                # Left out it becomes nought, which a rule may refuse.
                required = variable.value is None and any(_refuses_nought(r) for r in shape.rules)
            if record or is_kotlin(scope):
                required = required or any(self._is_true(m, s, "required") for m, s in marks)
            wire = self._wire(marks) or (re.sub(r"(?<=[a-z0-9])([A-Z])", r"_\1", name).lower() if snake else name)
            declared = scope.module.place(variable)
            held = default is not None and not (default.known and default.value is None)
            fields.append(ShapeField(name, wire, shape, required and not held, declared, default if held else None))
        if not fields and not record:
            # How it is made of the text is said somewhere else: a creator, a builder, a deserialiser.
            return Shape("object", nullable=True, known=False, model=model, target=target)
        entity = any(self.name(m.name, target.scope) in _ENTITIES for m in node.marks)
        whole = tuple(
            Rule(r.kind, r.value, r.declared, r.message, skipped=r.skipped)
            for m in node.marks for r in self.constraints.of_mark(m, target.scope, Shape("object"), False)
        )  # fmt: skip
        if whole and fields:
            # A rule on the class is about some of its fields together: those that its validator reads.
            about = self._read_by(node, target.scope)
            fields = [
                msgspec.structs.replace(f, shape=f.shape.with_(rules=(*f.shape.rules, *whole)))
                if not about or f.name in about else f
                for f in fields
            ]  # fmt: skip
        return Shape(
            "object", nullable=True, closed=True, fields=tuple(fields), model=model, target=target, entity=entity
        )

    def _read_by(self, node: n.Class, scope: Scope) -> frozenset[str]:
        """The properties that the validators of a class's own constraints ask for."""
        found: set[str] = set()
        for mark in node.marks:
            for validator in self.constraints.validators(mark, scope):
                body = validator.scope.module.source if validator.scope is not None else b""
                span = validator.node.span if isinstance(validator.node, n.Class) else None
                part = body[span.start : span.end].decode("utf-8", "replace") if span is not None else ""
                found |= {x[:1].lower() + x[1:] for x in re.findall(r"\.(?:get|is)([A-Z]\w*)\(\)", part)}
                found |= set(re.findall(r"\.([a-z]\w*)\(\)", part))
        return frozenset(found)

    def properties(self, target: Target, given: Given | None = None) -> dict[str, Property]:
        """Every property by name, with all annotations on its field and its getter, those of supertypes included."""
        found: dict[str, Property] = {}
        lineage = list(self._lineage(target, given or {}))
        for class_, scope, env in reversed(lineage):
            inner = self.program.scope_of(class_, scope)
            hidden = self._hidden(class_, scope)
            for member in class_.body:
                if isinstance(member, n.Variable) and not _is_no_property(member, class_):
                    marks = tuple((m, inner) for m in member.marks)
                    if member.name in hidden and not marks:
                        continue
                    if self._ignored(marks):
                        found.pop(member.name, None)
                        continue
                    found[member.name] = (member, inner, env, marks)
            for method in class_.methods:
                marks = tuple((m, inner) for m in method.marks)
                name = _getter(method) or (method.name if not method.params and self._wire(marks) else None)
                if name is None:
                    continue
                if self._ignored(marks):
                    found.pop(name, None)
                elif name in found:
                    variable, holder, own, before = found[name]
                    found[name] = (variable, holder, own, (*before, *marks))
                elif self._wire(marks) or any(self.constraints.is_constraint(m, s) for m, s in marks):
                    variable = n.Variable(method.span, name, method.returns, None, method.marks)
                    found[name] = (variable, inner, env, marks)
        for class_, scope, _ in lineage if self.written else ():
            inner = self.program.scope_of(class_, scope)
            for name, given_ in self.written.get(self.program.full_name(scope, class_.name), {}).items():
                if name in found:
                    variable, holder, own, before = found[name]
                    found[name] = (variable, holder, own, (*before, *((m, inner) for m, _ in given_)))
        return found

    def _lineage(self, target: Target, given: Given, depth: int = 0) -> Iterator[tuple[n.Class, Scope, Given]]:
        """The class and what it inherits from, each with what its type parameters stand for."""
        node, scope = target.node, target.scope
        if not isinstance(node, n.Class) or scope is None or depth > MAX_DEPTH:
            return
        yield node, scope, given
        inner = self.program.scope_of(node, scope)
        for base in node.bases:
            value = base.value.value if isinstance(base.value, n.Index) else base.value
            index = base.value.index if isinstance(base.value, n.Index) else None
            args = index.items if isinstance(index, n.Items) else (index,) if index is not None else ()
            above = self.program.resolve(value, inner)
            if above is not None and isinstance(above.node, n.Class):
                yield from self._lineage(above, self._bound(above.node, args, inner, given), depth + 1)

    def _hidden(self, class_: n.Class, scope: Scope) -> frozenset[str]:
        """Private fields that nothing outside can reach: no accessor, no constructor, no annotation that makes some."""
        marks = [m for m in class_.marks if (dotted(m.name) or "").rpartition(".")[2] in _ACCESSORS]
        if marks or any(dotted(m.name) == "record" for m in class_.marks) or is_kotlin(scope) or not class_.methods:
            return frozenset()
        reached = {name for m in class_.methods if (name := _getter(m) or _setter(m)) is not None}
        reached |= {p.name for m in class_.methods if m.name == "constructor" for p in m.params}
        fields = [m for m in class_.body if isinstance(m, n.Variable)]
        private = {f.name for f in fields if any(dotted(m.name) == "private" for m in f.marks)}
        return frozenset(private - reached)

    def _ignored(self, marks: tuple[tuple[n.Mark, Scope], ...]) -> bool:
        for mark, scope in marks:
            if self.name(mark.name, scope) == _JSON + "JsonIgnore":
                value = self.program.constant(argument(mark, "value"), scope)
                return value is None or value.value is not False
            if self.name(mark.name, scope) == _JSON + "JsonProperty":
                if (dotted(argument(mark, "access")) or "").endswith("READ_ONLY"):
                    return True
        return False

    def _wire(self, marks: tuple[tuple[n.Mark, Scope], ...]) -> str | None:
        for mark, scope in marks:
            if self.name(mark.name, scope) in (_JSON + "JsonProperty", "com.google.gson.annotations.SerializedName"):
                found = self.program.text(argument(mark, "value"), scope)
                if found:
                    return found
        return None

    def _is_true(self, mark: n.Mark, scope: Scope, element: str) -> bool:
        if self.name(mark.name, scope) != _JSON + "JsonProperty":
            return False
        found = self.program.constant(argument(mark, element), scope)
        return found is not None and found.value is True

    def _names_snake(self, class_: n.Class, scope: Scope) -> bool:
        return any(
            self.name(m.name, scope) in _NAMING and "Snake" in (dotted(argument(m, "value")) or "")
            for m in class_.marks
        )

    def default_groups(self, target: Target) -> frozenset[str]:
        """The groups that a class's own sequence puts in the place of the default one."""
        node, scope = target.node, target.scope
        if not isinstance(node, n.Class) or scope is None:
            return frozenset()
        for mark in node.marks:
            if self.name(mark.name, scope) in SEQUENCE:
                listed = self.program.elements(argument(mark, "value"), scope)
                return frozenset(x.rpartition(".")[2] for e, s in listed if (x := self.name(e, s)))
        return frozenset()


# What may stand on a number or boolean.
_OF_NUMBERS = frozenset({"minimum", "exclusiveMinimum", "maximum", "exclusiveMaximum", "const"})
_REFUSING = frozenset({"notNull", "notBlank", "notEmpty"})


def _refuses_nought(rule: Rule) -> bool:
    if rule.skipped is not None or rule.breaks is not None or rule.kind not in _OF_NUMBERS:
        return False
    return refuses_zero(rule.kind, rule.value)


def _unentered(shape: Shape, below: str) -> Shape:
    """The same with rules that nothing gets to, down to its end."""
    why = f"nothing goes into `{below}`: it takes @Valid on it for the rules of what is in it to run"
    rules = tuple(
        r if r.typed else msgspec.structs.replace(r, skipped=why, below=below)
        for r in shape.rules
    )  # fmt: skip
    return shape.with_(
        rules=rules,
        fields=tuple(
            msgspec.structs.replace(f, shape=_unentered(f.shape, below), required=False) for f in shape.fields
        ),
        items=_unentered(shape.items, below) if shape.items is not None else None,
        values=_unentered(shape.values, below) if shape.values is not None else None,
    )


def _is_no_property(member: n.Variable, class_: n.Class) -> bool:
    marks = {dotted(m.name) for m in member.marks}
    return bool(marks & {"static", "transient"}) or class_.form == "interface"


def _getter(method: n.Function) -> str | None:
    found = re.fullmatch(r"(?:get|is)([A-Z]\w*)", method.name) if not method.params else None
    return found[1][:1].lower() + found[1][1:] if found is not None else None


def _setter(method: n.Function) -> str | None:
    found = re.fullmatch(r"(?:set|with)([A-Z]\w*)", method.name) if len(method.params) == 1 else None
    return found[1][:1].lower() + found[1][1:] if found is not None else None
