"""Structs read to shapes: their fields as a decoder names them, with the rules of their tags."""

from collections.abc import Iterator, Mapping

import msgspec

from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import UNKNOWN, Default, Note, Reader, Rule, Shape, ShapeField
from mappu.vocabularies.struct_tags.registered import registered
from mappu.vocabularies.struct_tags.rules import NOT_ENTERED, Tagged, Words, parse
from mappu.vocabularies.struct_tags.types import EMBEDDED, INTEGERS, KNOWN, PLAIN

MAX_DEPTH = 12
# Ways of reading names: the key of a tag, and (with a mark behind it) that a field without one goes by its own name.
JSON = "json"
OWN_NAME = "~"
_STORED = frozenset({"gorm", "db", "bun", "xorm", "pg", "bson"})
_DECODERS = frozenset({"UnmarshalJSON", "UnmarshalText", "UnmarshalParam"})

# What the names of a struct's type parameters stand for.
Given = Mapping[str, tuple[n.Expr, Scope]]


class Reading:
    """Reads structs of one scan the way one decoder does."""

    def __init__(self, reader: Reader, scope: Scope, view: str = JSON) -> None:
        self.reader, self.program = reader, reader.program
        self.key, self.own_names = view.rstrip(OWN_NAME), view == JSON or view.endswith(OWN_NAME)
        self.registered = registered(reader, scope.module.path)

    # --- types --------------------------------------------------------------------------------------------------------

    def of_type(
        self, type_: n.Expr | None, scope: Scope, inside: tuple[int, ...] = (), given: Given | None = None
    ) -> Shape:
        """Return what a value of a type may be; `inside` are the structs around, which it may be again."""
        if len(inside) > MAX_DEPTH or type_ is None:
            return UNKNOWN
        if isinstance(type_, n.Index) and isinstance(type_.value, n.Name):
            word, index = type_.value.id, type_.index
            if word == "*":
                return self.of_type(index, scope, inside, given).with_(nullable=self.key == JSON, optional=True)
            if word == "[]":
                if dotted(index) in ("byte", "uint8"):
                    return Shape("string", nullable=True)
                return Shape("array", nullable=True, items=self.of_type(index, scope, inside, given))
            if word == "map" and isinstance(index, n.Items):
                return Shape("object", nullable=True, values=self.of_type(index.items[1], scope, inside, given))
        if isinstance(type_, n.Name) and given and type_.id in given:
            held, holder = given[type_.id]
            return self.of_type(held, holder, inside)
        base = type_.value if isinstance(type_, n.Index) else type_
        target = self.program.resolve(base, scope)
        if target is None:
            return UNKNOWN
        if target.scope is None:
            return self._outside(target.name, scope.module.place(type_))
        if isinstance(target.node, n.Alias):
            return self.of_type(target.node.value, target.scope, inside, given)
        if not isinstance(target.node, n.Class):
            return UNKNOWN
        args = type_.index.items if isinstance(type_, n.Index) and isinstance(type_.index, n.Items) else ()
        if isinstance(type_, n.Index) and not args:
            args = (type_.index,)
        bound = {
            name: given[a.id] if given and isinstance(a, n.Name) and a.id in given else (a, scope)
            for name, a in zip(target.node.type_params, args, strict=False)
        }  # fmt: skip
        return self.of_class(target, inside, bound)

    def _outside(self, name: str, place: object) -> Shape:
        if name in PLAIN:
            least, most = INTEGERS.get(name, (None, None))
            limits = (("minimum", least), ("maximum", most))
            rules = tuple(Rule(k, v, place, typed=True) for k, v in limits if v is not None)  # type: ignore[arg-type]
            return Shape(PLAIN[name], nullable=True, closed=name == "bool", rules=rules)
        if name in KNOWN:
            type_, limit = KNOWN[name]
            rules = (Rule(limit[0], limit[1], place, typed=True),) if limit is not None else ()  # type: ignore[arg-type]
            return Shape(type_, nullable=True, closed=limit is not None or name.endswith("Duration"), rules=rules)
        return UNKNOWN

    def of_class(self, target: Target, inside: tuple[int, ...] = (), given: Given | None = None) -> Shape:
        """Return the shape of a struct, or of a type defined by another."""
        node, scope = target.node, target.scope
        assert isinstance(node, n.Class)
        assert scope is not None
        if node.form == "interface":
            return Shape()
        own = self._decoder(target)
        if own is not None:
            return Shape("any", nullable=True, closed=True, rules=(Rule("custom", own[0], own[1], typed=True),))  # type: ignore[arg-type]
        if any(dotted(m.name) == "defined" for m in node.marks):
            shape = self.of_type(node.bases[0].value, scope, inside, given)
            return shape if shape.fields else shape.with_(model=None)
        model = None if node.name.startswith("struct ") else node.name
        if id(node) in inside:
            return Shape("object", nullable=True, closed=True, model=model, target=target)
        fields = tuple(self.fields(target, (*inside, id(node)), given or {}))
        notes = tuple(x for f in fields for x in f.shape.notes if f.shape.type == "object")
        return Shape("object", nullable=True, closed=True, fields=fields, model=model, target=target, notes=notes,
                     entity=self.is_stored(target))  # fmt: skip

    def _decoder(self, target: Target) -> tuple[str, object] | None:
        """The method by which a type decodes itself."""
        node = target.node
        for name in _DECODERS:
            found = self.program.member(target, name)
            if (
                found is not None
                and isinstance(found.node, n.Function)
                and found.scope is not None
                and isinstance(node, n.Class)
            ):
                return f"{node.name}.{name}", found.scope.module.place(found.node)
        return None

    def is_stored(self, target: Target) -> bool:
        """True for a struct whose fields are columns: one of them says so in its tag, or it embeds what makes it a table."""
        node = target.node
        if not isinstance(node, n.Class) or target.scope is None:
            return False
        tags = {dotted(m.name) for v in node.body if isinstance(v, n.Variable) for m in v.marks}
        bases = {self.program.name_of(b.value, target.scope) for b in node.bases}
        return bool(tags & _STORED) or "gorm.io/gorm.Model" in bases

    # --- fields -------------------------------------------------------------------------------------------------------

    def fields(self, target: Target, inside: tuple[int, ...], given: Given) -> Iterator[ShapeField]:
        """Yield the fields of a struct, those of what it embeds among them; its own win."""
        node, scope = target.node, target.scope
        assert isinstance(node, n.Class)
        assert scope is not None
        inner = self.program.scope_of(node, scope)
        found: dict[str, ShapeField] = {}
        for variable in node.body:
            if not isinstance(variable, n.Variable):
                continue
            tags = {dotted(m.name) or "": m for m in variable.marks if m.form == "tag"}
            name = self._name(variable, tags)
            embedded = any(dotted(m.name) == "embedded" for m in variable.marks)
            if embedded and self.key not in tags:
                for field in self._embedded(variable, inner, inside, given):
                    found.setdefault(field.wire, field)
            elif name is not None and variable.name[:1].isupper():
                found[name] = self._field(variable, name, tags, inner, inside, given)
        structs = self.registered.structs.get(target.name, [])
        for field in found.values():
            named = [(f, key) for f, fields, key in structs if not fields or field.name in fields]
            rules = tuple(Rule("custom", x, field.declared, key=key) for x, key in named)
            yield (
                msgspec.structs.replace(field, shape=field.shape.with_(rules=(*field.shape.rules, *rules)))
                if rules
                else field
            )

    def _embedded(
        self, variable: n.Variable, scope: Scope, inside: tuple[int, ...], given: Given
    ) -> Iterator[ShapeField]:
        shape = self.of_type(variable.type, scope, inside, given)
        base = (
            variable.type.index
            if isinstance(variable.type, n.Index) and dotted(variable.type.value) == "*"
            else variable.type
        )
        known = EMBEDDED.get(self.program.name_of(base, scope) or "", ())
        place = scope.module.place(variable)
        yield from (ShapeField(each, each, self._outside(type_, place), False, place) for each, type_ in known)
        yield from shape.fields

    def _name(self, variable: n.Variable, tags: dict[str, n.Mark]) -> str | None:
        """The name that a field goes by in what the client sends; None for one that is not read."""
        mark = tags.get(self.key)
        if mark is None:
            return variable.name if self.own_names else None
        text = _text(mark)
        name = text.partition(",")[0]
        return None if text == "-" else name or variable.name

    def _field(self, variable: n.Variable, name: str, tags: dict[str, n.Mark], scope: Scope, inside: tuple[int, ...],
               given: Given) -> ShapeField:  # fmt: skip
        shape = self.of_type(variable.type, scope, inside, given)
        place = scope.module.place(variable)
        text = _text(tags[self.key]) if self.key in tags else ""
        if self.key == JSON and ",string" in text and shape.type != "string":
            shape = Shape("string", rules=(Rule("pattern", r"^-?\d+(\.\d+)?$", place, typed=True),))
        pointer = isinstance(variable.type, n.Index) and dotted(variable.type.value) == "*"
        for key, tag in self.registered.tags.items():
            if tag in tags:
                words = parse(_text(tags[tag]), self.registered.aliases)
                shape = self.limited(shape, words, self._kind(variable.type, scope), pointer, place, key, name)
        for key in self.registered.tags:
            if key in tags and key not in self.registered.tags.values():
                # The validator was told to look at another tag: this one is only text.
                words = parse(_text(tags[key]), self.registered.aliases)
                why = f"the validator reads `{self.registered.tags[key]}` tags (SetTagName), and these are `{key}` ones"
                shape = self.limited(shape, words, "", pointer, place, key, name, why)
        why = NOT_ENTERED.format(name)
        for key, tag in self.registered.tags.items():
            if tag not in tags and (shape.items is not None or shape.values is not None):
                shape = shape.with_(
                    items=_kept_out(shape.items, key, why, name) if shape.items is not None else None,
                    values=_kept_out(shape.values, key, why, name) if shape.values is not None else None,
                )
        wire = name.lower() if self.key == "header" else name
        default = self._default(text, tags, place)
        if self.key != JSON:
            shape = shape.with_(nullable=False)
        return ShapeField(variable.name, wire, shape, False, place, default)

    def _default(self, text: str, tags: dict[str, n.Mark], place: object) -> Default | None:
        """What a field is where it was left out: an option of the name, or a tag of its own."""
        options = [o.removeprefix("default=") for o in text.split(",")[1:] if o.startswith("default=")]
        if self.key == JSON or not options:
            return None
        value: object = options[0]
        if options[0].lstrip("-").isdigit():
            value = int(options[0])
        return Default(True, value, place, checked=True)  # type: ignore[arg-type]

    def _kind(self, type_: n.Expr | None, scope: Scope) -> str:
        """What a rule that hangs on the type has to know of it: `struct`, `time.Time`, or nothing of note."""
        base = type_.index if isinstance(type_, n.Index) and dotted(type_.value) == "*" else type_
        base = base.value if isinstance(base, n.Index) else base
        target = self.program.resolve(base, scope) if isinstance(base, n.Name | n.Member) else None
        if target is None:
            return ""
        if target.name == "time.Time":
            return target.name
        node = target.node
        is_struct = (
            isinstance(node, n.Class)
            and node.form == "class"
            and not any(dotted(m.name) == "defined" for m in node.marks)
        )
        return "struct" if is_struct else ""

    # --- rules --------------------------------------------------------------------------------------------------------

    def limited(self, shape: Shape, words: Words, kind: str, pointer: bool, place: object, key: str, name: str,
                skipped: str | None = None) -> Shape:  # fmt: skip
        """The shape with what the words on it say, down to its elements."""
        on = Tagged(shape, kind, pointer, place, key, self.registered.functions)  # type: ignore[arg-type]
        rules = on.rules(words.own)
        if skipped is not None:
            rules = [msgspec.structs.replace(r, skipped=skipped, absent=False) for r in rules]
        default = self.registered.tags.get(key) is not None
        items, values = shape.items, shape.values
        why = NOT_ENTERED.format(name)
        if items is not None and default:
            items = self._inside(items, words, place, key, name, why)
        if values is not None and default:
            values = self._inside(values, words, place, key, name, why)
        fields = shape.fields
        if "structonly" in words.own or "-" in words.own:
            stop = f"`{'-' if '-' in words.own else 'structonly'}` on `{name}` keeps the validator out of it"
            fields = tuple(msgspec.structs.replace(f, shape=_kept_out(f.shape, key, stop, name)) for f in fields)
        notes: tuple[Note, ...] = (*shape.notes, *on.notes)
        return shape.with_(rules=(*shape.rules, *rules), items=items, values=values, fields=fields, notes=notes)

    def _inside(self, shape: Shape, words: Words, place: object, key: str, name: str, why: str) -> Shape:
        if not words.entered:
            return _kept_out(shape, key, why, name)
        kind = "struct" if shape.fields else ""
        return self.limited(shape, words.inside or Words(), kind, False, place, key, name)


def _kept_out(shape: Shape, key: str, why: str, name: str) -> Shape:
    """The same with rules of that key that nothing gets to, down to its end."""
    rules = tuple(
        msgspec.structs.replace(r, skipped=why, below=name, absent=False, mend="model-inside") if r.key == key else r
        for r in shape.rules
    )  # fmt: skip
    fields = tuple(msgspec.structs.replace(f, shape=_kept_out(f.shape, key, why, name)) for f in shape.fields)
    items = _kept_out(shape.items, key, why, name) if shape.items is not None else None
    values = _kept_out(shape.values, key, why, name) if shape.values is not None else None
    return shape.with_(rules=rules, fields=fields, items=items, values=values)


def _text(mark: n.Mark) -> str:
    given = mark.args[0].value if mark.args else None
    return given.value if isinstance(given, n.Literal) and isinstance(given.value, str) else ""
