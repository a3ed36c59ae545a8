"""JavaScript's and TypeScript's expressions and types lowered to the neutral tree."""

import re
from typing import Any

import tree_sitter

from mappu.syntax import nodes as n
from mappu.syntax.lowering import MAX_ITEMS, Lowering

_OPERATORS = {"&&": "and", "||": "or", "??": "or", "===": "==", "!==": "!=", "instanceof": "is-a", "**": "**"}
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f", "v": "\v", "0": "\0"}
_ESCAPE = re.compile(r"\\(?:u\{([0-9a-fA-F]+)\}|u([0-9a-fA-F]{4})|x([0-9a-fA-F]{2})|(\r?\n)|(.))", re.S)
FUNCTIONS = frozenset({"arrow_function", "function_expression", "generator_function", "function"})


def _unescaped(found: re.Match[str]) -> str:
    code = found[1] or found[2] or found[3]
    if code is not None:
        number = int(code, 16)
        return chr(number) if number < 0x110000 else "\ufffd"
    return "" if found[4] is not None else _ESCAPES.get(found[5], found[5])


class Expressions(Lowering):
    """Lowers expressions. What an expression declares on the way (a class, a required module, a type written out) is put into
    `hoisted`, to stand in front of the statements around it, and is named there."""

    def __init__(self, source: bytes, **where: Any) -> None:
        self.typed: bool = where.pop("typed", True)
        super().__init__(source, **where)
        self.hoisted: list[n.Stmt] = []

    # --- names and members --------------------------------------------------------------------------------------------

    def member(self, node: tree_sitter.Node) -> n.Expr:
        name = self.text(self.field(node, "property")).lstrip("#")
        safe = any(c.type == "optional_chain" for c in node.children)
        return n.Member(self.span(node), self.expr(self.field(node, "object")), name, safe)

    def type_member(self, node: tree_sitter.Node) -> n.Expr:
        return n.Member(self.span(node), self.expr(self.field(node, "module")), self.text(self.field(node, "name")))

    def subscript(self, node: tree_sitter.Node) -> n.Expr:
        key = self.expr(self.field(node, "index"))
        return n.Index(self.span(node), self.expr(self.field(node, "object")), key)

    def call(self, node: tree_sitter.Node) -> n.Expr:
        func, args = self.field(node, "function"), self.field(node, "arguments")
        if args.type == "template_string":
            # A tagged template: the tag is handed the pieces, each by itself, and may treat them apart.
            text = self.template(args)
            parts = text.parts if isinstance(text, n.Template) else (text,)
            return n.Call(self.span(node), self.expr(func), tuple(n.Arg(p) for p in parts))
        if func.type == "import" or (func.type == "identifier" and self.text(func) == "require"):
            loaded = self.loaded(node, args)
            if loaded is not None:
                return loaded
        return n.Call(self.span(node), self.expr(func), self.args(args))

    def loaded(self, node: tree_sitter.Node, args: tree_sitter.Node) -> n.Expr | None:
        """`require("x")` and `import("x")`: a name for the module, bound in front of the statements around."""
        first = args.named_children[0] if args.named_children else None
        if first is None or first.type != "string":
            return None
        module = self.string_value(first)
        name = f"require({module})"
        if all(not isinstance(s, n.Import) or s.alias != name for s in self.hoisted):
            self.hoisted.append(n.Import(self.span(node), module, 0, None, name))
        return n.Name(self.span(node), name)

    def new(self, node: tree_sitter.Node) -> n.Expr:
        args = node.child_by_field_name("arguments")
        given = self.args(args) if args is not None else ()
        return n.Call(self.span(node), self.expr(self.field(node, "constructor")), given)

    def args(self, node: tree_sitter.Node) -> tuple[n.Arg, ...]:
        found = []
        for child in node.named_children:
            if child.type == "spread_element":
                found.append(n.Arg(self.inner(child), None, True))
            elif child.type != "comment":
                found.append(n.Arg(self.expr(child)))
        return tuple(found)

    # --- constants ----------------------------------------------------------------------------------------------------

    def string_value(self, node: tree_sitter.Node) -> str:
        text = self.text(node)[1:-1]
        return _ESCAPE.sub(_unescaped, text) if "\\" in text else text

    def string(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), self.string_value(node))

    def template(self, node: tree_sitter.Node) -> n.Expr:
        parts: list[n.Expr] = []
        text = ""
        for child in node.named_children:
            if child.type == "template_substitution":
                if text:
                    parts.append(n.Literal(self.span(node), text))
                    text = ""
                parts.append(self.inner(child))
            else:
                piece = self.text(child)
                text += _ESCAPE.sub(_unescaped, piece) if "\\" in piece else piece
        if text or not parts:
            parts.append(n.Literal(self.span(node), text))
        if len(parts) == 1 and isinstance(parts[0], n.Literal):
            return parts[0]
        return n.Template(self.span(node), tuple(parts))

    def number(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node).replace("_", "").rstrip("n")
        try:
            if text[:2].lower() in ("0x", "0o", "0b"):
                return n.Literal(self.span(node), int(text, 0))
            value = float(text)
        except (ValueError, OverflowError):
            return self.opaque(node)
        whole = value.is_integer() and not any(c in text for c in ".eE")
        return n.Literal(self.span(node), int(text) if whole else int(value) if value.is_integer() else value)

    def regex(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        given = [n.Arg(n.Literal(span, self.text(self.field(node, "pattern"))))]
        flags = node.child_by_field_name("flags")
        if flags is not None:
            given.append(n.Arg(n.Literal(span, self.text(flags))))
        return n.Call(span, n.Name(span, "RegExp"), tuple(given))

    def word(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), {"true": True, "false": False, "null": None}[node.type])

    # --- lists and objects --------------------------------------------------------------------------------------------

    def items(self, node: tree_sitter.Node) -> n.Expr:
        if node.named_child_count > MAX_ITEMS:
            return self.opaque(node)
        found = tuple(self.expr(c) for c in node.named_children if c.type != "comment")
        return n.Items(self.span(node), "tuple" if node.type == "tuple_type" else "list", found)

    def spread(self, node: tree_sitter.Node) -> n.Expr:
        return n.Unary(self.span(node), "spread", self.inner(node))

    def key(self, node: tree_sitter.Node) -> n.Expr:
        if node.type == "string":
            return self.string(node)
        if node.type == "computed_property_name":
            return self.inner(node)
        if node.type == "number":
            return n.Literal(self.span(node), self.text(node))
        return n.Literal(self.span(node), self.text(node).lstrip("#"))

    def entries(self, node: tree_sitter.Node) -> n.Expr:
        """An object written out, or the pattern that takes one apart."""
        if node.named_child_count > MAX_ITEMS:
            return self.opaque(node)
        found: list[tuple[n.Expr | None, n.Expr]] = []
        for child in node.named_children:
            match child.type:
                case "pair" | "pair_pattern":
                    found.append((self.key(self.field(child, "key")), self.expr(self.field(child, "value"))))
                case "shorthand_property_identifier" | "shorthand_property_identifier_pattern":
                    found.append((self.key(child), self.name(child)))
                case "object_assignment_pattern":
                    found.append((self.key(self.field(child, "left")), self.default_target(child)))
                case "spread_element" | "rest_pattern":
                    found.append((None, self.inner(child)))
                case "method_definition":
                    found.append((self.key(self.field(child, "name")), self.function(child)))
        return n.Entries(self.span(node), tuple(found))

    def default_target(self, node: tree_sitter.Node) -> n.Expr:
        left = self.field(node, "left")
        target = self.name(left) if left.type.startswith("shorthand") else self.expr(left)
        return n.Bind(self.span(node), target, self.expr(self.field(node, "right")))

    # --- operators ----------------------------------------------------------------------------------------------------

    def unary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        span = self.span(node)
        if op == "void":
            return n.Name(span, "undefined")
        value = self.expr(self.field(node, "argument"))
        if op == "-" and isinstance(value, n.Literal) and isinstance(value.value, int | float):
            return n.Literal(span, -value.value)
        return n.Unary(span, {"!": "not", "delete": "del"}.get(op, op), value)

    def binary(self, node: tree_sitter.Node) -> n.Expr:
        sign = self.text(self.field(node, "operator"))
        span, op = self.span(node), _OPERATORS.get(sign, sign)
        left, right = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        if op in ("==", "!="):
            found = _absence(span, op, left, right) or _absence(span, op, right, left)
            if found is not None:
                return found
            if len(sign) == 3 and any(isinstance(x, n.Literal) and x.value is None for x in (left, right)):
                # Null itself, not "no value".
                op = "is" if op == "==" else "is-not"
        return n.Binary(span, op, left, right)

    def changed(self, node: tree_sitter.Node) -> n.Expr:
        return n.Unary(self.span(node), "change", self.inner(node))

    def last(self, node: tree_sitter.Node) -> n.Expr:
        return self.expr(node.named_children[-1])

    def yield_(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        return n.Unary(span, "yield", self.inner(node) if node.named_children else n.Literal(span, None))

    # --- functions ----------------------------------------------------------------------------------------------------

    def function(self, node: tree_sitter.Node) -> n.Expr:
        name = node.child_by_field_name("name")
        return self.make_function(node, self.text(name).lstrip("#") if name is not None else "")

    def make_function(
        self, node: tree_sitter.Node, name: str, marks: tuple[n.Mark, ...] = (), at: tree_sitter.Node | None = None
    ) -> n.Function:
        params, taken_apart = self.params(node)
        body = node.child_by_field_name("body")
        is_async = any(c.type == "async" for c in node.children)
        span = self.span(at if at is not None else node)
        return n.Function(
            span, name, params, self.opt(node, "return_type"), marks, self.body_of(body, taken_apart), is_async
        )

    def params(self, node: tree_sitter.Node) -> tuple[tuple[n.Param, ...], tuple[n.Stmt, ...]]:
        """Return the parameters, and what takes apart those that are patterns."""
        single = node.child_by_field_name("parameter")
        if single is not None:
            return (n.Param(self.span(single), self.text(single)),), ()
        listed = node.child_by_field_name("parameters")
        found: list[n.Param] = []
        taken_apart: list[n.Stmt] = []
        for child in listed.named_children if listed is not None else ():
            if child.type == "comment":
                continue
            pattern = child.child_by_field_name("pattern") or child
            default = child.child_by_field_name("value")
            if pattern.type == "assignment_pattern":
                pattern, default = self.field(pattern, "left"), self.field(pattern, "right")
            rest = pattern.type == "rest_pattern"
            target = pattern.named_children[0] if rest and pattern.named_children else pattern
            span, name = self.span(child), self.text(target)
            if target.type in ("object_pattern", "array_pattern"):
                taken_apart.append(n.Assign(span, (self.expr(target),), n.Name(span, name)))
            marks = tuple(self.mark(c) for c in child.named_children if c.type == "decorator")
            type_ = self.optional(child, self.opt(child, "type"))
            value = self.expr(default) if default is not None else None
            found.append(n.Param(span, name, type_, value, marks, "rest" if rest else "plain"))
        return tuple(found), tuple(taken_apart)

    def body_of(self, node: tree_sitter.Node | None, before: tuple[n.Stmt, ...]) -> n.Lazy:
        raise NotImplementedError

    def mark(self, node: tree_sitter.Node) -> n.Mark:
        value = self.inner(node)
        if isinstance(value, n.Call):
            return n.Mark(self.span(node), value.func, value.args)
        return n.Mark(self.span(node), value, None)

    def class_expression(self, node: tree_sitter.Node) -> n.Expr:
        name = node.child_by_field_name("name")
        called = self.text(name) if name is not None else f"class:{node.start_byte + self.start.start}"
        self.hoisted.append(self.make_class(node, called))
        return n.Name(self.span(node), called)

    def make_class(self, node: tree_sitter.Node, name: str, marks: tuple[n.Mark, ...] = ()) -> n.Class:
        raise NotImplementedError

    # --- types --------------------------------------------------------------------------------------------------------

    def optional(self, node: tree_sitter.Node, type_: n.Expr | None) -> n.Expr | None:
        """The type of something that may be left out (`name?: T`) is that or undefined."""
        if all(c.type != "?" for c in node.children):
            return type_
        span = self.span(node)
        return n.Binary(span, "|", type_ or n.Name(span, "any"), n.Name(span, "undefined"))

    def generic(self, node: tree_sitter.Node) -> n.Expr:
        args = next((c for c in node.named_children if c.type == "type_arguments"), None)
        inner = [self.expr(c) for c in args.named_children if c.type != "comment"] if args is not None else []
        return self.indexed(node, self.expr(self.field(node, "name")), inner)

    def instantiated(self, node: tree_sitter.Node) -> n.Expr:
        return self.inner(node)

    def indexed(self, node: tree_sitter.Node, value: n.Expr, inner: list[n.Expr]) -> n.Expr:
        span = self.span(node)
        if not inner:
            return value
        return n.Index(span, value, inner[0] if len(inner) == 1 else n.Items(span, "tuple", tuple(inner)))

    def array_type(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        return n.Index(span, n.Name(span, "Array"), self.inner(node))

    def joined_type(self, node: tree_sitter.Node) -> n.Expr:
        op = "|" if node.type == "union_type" else "&"
        parts = [self.expr(c) for c in node.named_children if c.type != "comment"]
        found = parts[0]
        for part in parts[1:]:
            found = n.Binary(self.span(node), op, found, part)
        return found

    def type_query(self, node: tree_sitter.Node) -> n.Expr:
        return n.Unary(self.span(node), "typeof", self.inner(node))

    def object_type(self, node: tree_sitter.Node) -> n.Expr:
        name = f"type:{node.start_byte + self.start.start}"
        self.hoisted.append(self.make_interface(node, name, node, ()))
        return n.Name(self.span(node), name)

    def make_interface(
        self, node: tree_sitter.Node, name: str, body: tree_sitter.Node | None, bases: tuple[n.Arg, ...]
    ) -> n.Class:
        """An interface, or an object type written out."""
        members: list[n.Stmt] = []
        for child in body.named_children if body is not None else ():
            named = child.child_by_field_name("name")
            if child.type == "property_signature" and named is not None:
                key = self.key(named)
                type_ = self.optional(child, self.opt(child, "type"))
                if isinstance(key, n.Literal):
                    members.append(n.Variable(self.span(child), str(key.value), type_, None))
        inside = tuple(members)
        return n.Class(
            self.span(node), name, self.type_params(node), bases, (), n.Lazy(lambda: inside), form="interface"
        )

    def type_params(self, node: tree_sitter.Node) -> tuple[str, ...]:
        params = node.child_by_field_name("type_parameters")
        return tuple(self.text(self.field(p, "name")) for p in params.named_children) if params is not None else ()


def _absence(span: n.Span, op: str, value: n.Expr, against: n.Expr) -> n.Expr | None:
    """`x === undefined`, also as `typeof x === "undefined"`."""
    if isinstance(against, n.Name) and against.id == "undefined":
        found: n.Expr = n.Unary(span, "absent", value)
    elif isinstance(value, n.Unary) and value.op == "typeof" and _is_text(against, "undefined"):
        found = n.Unary(span, "absent", value.value)
    else:
        return None
    return found if op == "==" else n.Unary(span, "not", found)


def _is_text(expr: n.Expr, text: str) -> bool:
    return isinstance(expr, n.Literal) and expr.value == text


_E = Expressions

Expressions.expressions = {
    "identifier": _E.name, "type_identifier": _E.name, "predefined_type": _E.name, "this": _E.name, "super": _E.name,
    "undefined": _E.name, "shorthand_property_identifier_pattern": _E.name, "property_identifier": _E.name,
    "member_expression": _E.member, "nested_type_identifier": _E.type_member, "nested_identifier": _E.member,
    "subscript_expression": _E.subscript, "call_expression": _E.call, "new_expression": _E.new,
    "string": _E.string, "template_string": _E.template, "template_literal_type": _E.template, "number": _E.number,
    "regex": _E.regex, "true": _E.word, "false": _E.word, "null": _E.word, "array": _E.items,
    "array_pattern": _E.items, "tuple_type": _E.items, "spread_element": _E.spread, "rest_pattern": _E.spread,
    "object": _E.entries, "object_pattern": _E.entries, "assignment_pattern": _E.default_target,
    "unary_expression": _E.unary, "binary_expression": _E.binary, "ternary_expression": _E.choice,
    "assignment_expression": _E.assigned, "augmented_assignment_expression": _E.assigned,
    "update_expression": _E.changed, "sequence_expression": _E.last, "await_expression": _E.inner,
    "yield_expression": _E.yield_, "parenthesized_expression": _E.inner, "as_expression": _E.inner,
    "satisfies_expression": _E.inner, "non_null_expression": _E.inner, "type_assertion": _E.last,
    "arrow_function": _E.function, "function_expression": _E.function, "generator_function": _E.function,
    "class": _E.class_expression, "type_annotation": _E.inner, "generic_type": _E.generic,
    "instantiation_expression": _E.instantiated, "array_type": _E.array_type, "union_type": _E.joined_type,
    "intersection_type": _E.joined_type, "literal_type": _E.inner, "parenthesized_type": _E.inner,
    "readonly_type": _E.inner, "type_query": _E.type_query, "object_type": _E.object_type,
}  # fmt: skip
