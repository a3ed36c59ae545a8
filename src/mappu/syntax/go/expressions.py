"""Go's expressions and types lowered to the neutral tree.

What Go says by syntax of its own goes by names that no source can hold: `.assert` for `x.(T)`, `.ok` for the second value of
`m[k]` and `x.(T)`, `.range` for what a loop goes over, `.slice` for `x[1:2]`; types are `*` of something, `[]` of something.
"""

import re
from functools import cache

import tree_sitter
import tree_sitter_go

from mappu.syntax import nodes as n
from mappu.syntax.lowering import MAX_DEPTH, MAX_ITEMS, Lowering

# What `new` is written as where it is read as any other function.
NEW = "neW"
_OPERATORS = {"&&": "and", "||": "or"}
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f", "a": "\a", "v": "\v"}
_WORDS: dict[str, n.LiteralValue] = {"true": True, "false": False, "nil": None}
_ESCAPED = re.compile(r"\\(x[0-9a-fA-F]{2}|u[0-9a-fA-F]{4}|U[0-9a-fA-F]{8}|[0-7]{3}|.)", re.S)


@cache
def parser() -> tree_sitter.Parser:
    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_go.language()))


class Expressions(Lowering):
    """Lowers Go's expressions. A name that is declared again in a block inside goes by another name there, as it is another
    variable: `inside` are the names of the blocks around, innermost last."""

    inside: list[dict[str, str]]
    # Structs without a name of their own, declared at the end of what they stand in.
    unnamed: list[n.Class]
    iota: int = 0

    # --- names --------------------------------------------------------------------------------------------------------

    def name(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node)
        return n.Name(self.span(node), next((b[text] for b in reversed(self.inside) if text in b), text))

    def declare(self, text: str) -> str:
        """The name that a variable declared here goes by."""
        if text == "_" or not self.inside:
            return text
        here = self.inside[-1]
        if text not in here:
            around = [b[text] for b in self.inside[:-1] if text in b]
            here[text] = f"{around[-1]}'" if around else text
        return here[text]

    # --- expressions --------------------------------------------------------------------------------------------------

    def member(self, node: tree_sitter.Node) -> n.Expr:
        return n.Member(self.span(node), self.expr(self.field(node, "operand")), self.text(self.field(node, "field")))

    def qualified(self, node: tree_sitter.Node) -> n.Expr:
        package = self.field(node, "package")
        return n.Member(
            self.span(node), n.Name(self.span(package), self.text(package)), self.text(self.field(node, "name"))
        )

    def call(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        func = self.expr(self.field(node, "function"))
        given = node.child_by_field_name("type_arguments")
        if given is not None:
            func = n.Index(span, func, self.type_args(given))
        args = self.args(self.field(node, "arguments"))
        if (
            isinstance(func, n.Name)
            and func.id == NEW
            and args
            and not isinstance(args[0].value, n.Name | n.Member | n.Index)
        ):
            return args[0].value
        if isinstance(func, n.Name) and func.id in ("new", "make", NEW) and args:
            return self.made(span, func.id, args[0].value)
        return n.Call(span, func, args)

    def made(self, span: n.Span, word: str, type_: n.Expr) -> n.Expr:
        """What `new(T)` and `make(T)` give: nothing in it yet."""
        base = type_.value if isinstance(type_, n.Index) else type_
        if word == "make" and isinstance(base, n.Name) and base.id == "[]":
            return n.Items(span, "list", ())
        if word == "make" and isinstance(base, n.Name) and base.id == "map":
            return n.Entries(span, ())
        return n.Call(span, type_, ())

    def converted(self, node: tree_sitter.Node) -> n.Expr:
        """`T(x)` with a type that can be nothing else; also a call of a generic function with one argument."""
        return n.Call(
            self.span(node), self.expr(self.field(node, "type")), (n.Arg(self.expr(self.field(node, "operand"))),)
        )

    def args(self, node: tree_sitter.Node) -> tuple[n.Arg, ...]:
        found = []
        for child in node.named_children:
            if child.type == "variadic_argument":
                found.append(n.Arg(self.inner(child), spread=True))
            elif child.type != "comment":
                found.append(n.Arg(self.expr(child)))
        return tuple(found)

    def index(self, node: tree_sitter.Node) -> n.Expr:
        return n.Index(self.span(node), self.expr(self.field(node, "operand")), self.expr(self.field(node, "index")))

    def instance(self, node: tree_sitter.Node) -> n.Expr:
        """`F[T]`, a generic function with its types."""
        given = node.child_by_field_name("type_arguments") or node.named_children[-1]
        return n.Index(self.span(node), self.expr(node.named_children[0]), self.type_args(given))

    def slice(self, node: tree_sitter.Node) -> n.Expr:
        return self.special(node, ".slice", self.field(node, "operand"))

    def asserted(self, node: tree_sitter.Node) -> n.Expr:
        return self.special(node, ".assert", self.field(node, "operand"), self.field(node, "type"))

    def special(self, node: tree_sitter.Node, word: str, *parts: tree_sitter.Node) -> n.Call:
        span = self.span(node)
        return n.Call(span, n.Name(span, word), tuple(n.Arg(self.expr(p)) for p in parts))

    def binary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        left, right = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        return n.Binary(self.span(node), _OPERATORS.get(op, op), left, right)

    def unary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        value = self.expr(self.field(node, "operand"))
        if op == "-" and isinstance(value, n.Literal) and isinstance(value.value, int | float):
            return n.Literal(self.span(node), -value.value)
        if op in ("+", "*"):
            # What a pointer leads to holds what the pointer is said to hold.
            return value
        return n.Unary(self.span(node), "not" if op == "!" else op, value)

    def listed(self, node: tree_sitter.Node) -> n.Expr:
        parts = [c for c in node.named_children if c.type != "comment"]
        if len(parts) == 1:
            return self.expr(parts[0])
        return n.Items(self.span(node), "tuple", tuple(self.expr(c) for c in parts))

    # --- constants ----------------------------------------------------------------------------------------------------

    def string(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), self.written(node))

    def written(self, node: tree_sitter.Node) -> str:
        """The text that a literal stands for."""
        text = self.text(node)
        return text[1:-1] if text.startswith("`") else _ESCAPED.sub(_unescaped, text[1:-1])

    def number(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node).replace("_", "")
        try:
            if node.type == "float_literal":
                return n.Literal(self.span(node), float(text))
            octal = re.fullmatch(r"0[0-7]+", text)
            return n.Literal(self.span(node), int(text, 8) if octal else int(text, 0))
        except ValueError:
            return self.opaque(node)

    def word(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), _WORDS[node.type])

    def counted(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), self.iota)

    # --- values written out -------------------------------------------------------------------------------------------

    def composite(self, node: tree_sitter.Node) -> n.Expr:
        return self.literal(self.field(node, "body"), self.expr(self.field(node, "type")))

    def literal(self, body: tree_sitter.Node, type_: n.Expr | None) -> n.Expr:
        """`T{…}`: a list, a map, or a struct with its fields by name. Elements may leave their type out."""
        span = self.span(body.parent if body.parent is not None and type_ is not None else body)
        base = type_.value if isinstance(type_, n.Index) else type_
        elements = [c for c in body.named_children if c.type != "comment"][:MAX_ITEMS]
        word = base.id if isinstance(base, n.Name) else ""
        if word == "*" and isinstance(type_, n.Index):
            return self.literal(body, type_.index)
        if word in ("[]", "map") and isinstance(type_, n.Index):
            index = type_.index
            inner = index.items[1] if word == "map" and isinstance(index, n.Items) else index
            if word == "[]":
                listed = [self.element(c.child_by_field_name("value") or c, inner) for c in elements]
                return n.Items(span, "list", tuple(listed))
            return n.Entries(span, tuple(self.pair(c, inner) for c in elements))
        keyed = [c for c in elements if c.type == "keyed_element"]
        fields = [self.field(c, "key") for c in keyed]
        if keyed and not all(c.named_children and c.named_children[0].type == "identifier" for c in fields):
            return n.Entries(span, tuple(self.pair(c, None) for c in elements))
        args = []
        for child in elements:
            if child.type == "keyed_element":
                args.append(n.Arg(self.element(self.field(child, "value"), None), self.text(self.field(child, "key"))))
            else:
                args.append(n.Arg(self.element(child, None)))
        return n.Call(span, type_ if type_ is not None else n.Opaque(span, ""), tuple(args))

    def pair(self, node: tree_sitter.Node, type_: n.Expr | None) -> tuple[n.Expr, n.Expr]:
        if node.type != "keyed_element":
            return n.Opaque(self.span(node), ""), self.element(node, type_)
        return self.element(self.field(node, "key"), None), self.element(self.field(node, "value"), type_)

    def element(self, node: tree_sitter.Node, type_: n.Expr | None) -> n.Expr:
        inner = node.named_children[0] if node.type == "literal_element" and node.named_children else node
        if inner.type != "literal_value":
            return self.expr(inner)
        self.depth += 1
        found = self.literal(inner, type_) if self.depth <= MAX_DEPTH else self.too_deep(inner)
        self.depth -= 1
        return found

    # --- types --------------------------------------------------------------------------------------------------------

    def pointer(self, node: tree_sitter.Node) -> n.Expr:
        return n.Index(self.span(node), n.Name(self.span(node), "*"), self.inner(node))

    def slice_type(self, node: tree_sitter.Node) -> n.Expr:
        return n.Index(self.span(node), n.Name(self.span(node), "[]"), self.expr(self.field(node, "element")))

    def map_type(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        parts = (self.expr(self.field(node, "key")), self.expr(self.field(node, "value")))
        return n.Index(span, n.Name(span, "map"), n.Items(span, "tuple", parts))

    def generic(self, node: tree_sitter.Node) -> n.Expr:
        args = self.type_args(self.field(node, "type_arguments"))
        return n.Index(self.span(node), self.expr(self.field(node, "type")), args)

    def type_args(self, node: tree_sitter.Node) -> n.Expr:
        given = tuple(self.expr(c) for c in node.named_children if c.type != "comment")
        return given[0] if len(given) == 1 else n.Items(self.span(node), "tuple", given)

    def any_type(self, node: tree_sitter.Node) -> n.Expr:
        return n.Name(self.span(node), "any")

    def type_name(self, node: tree_sitter.Node) -> n.Expr:
        return n.Name(self.span(node), self.text(node))

    def struct(self, node: tree_sitter.Node) -> n.Expr:
        """A struct without a name: declared under one that no source can hold, and named here."""
        name = f"struct {node.start_byte + self.start.start}"
        self.unnamed.append(self.struct_of(name, node, ()))
        return n.Name(self.span(node), name)

    def struct_of(self, name: str, node: tree_sitter.Node, type_params: tuple[str, ...]) -> n.Class:
        raise NotImplementedError


def _unescaped(match: re.Match[str]) -> str:
    given = match[1]
    if given[0] in "xuU" and len(given) > 1:
        code = int(given[1:], 16)
        return chr(code) if code < 0x110000 else "�"
    if given.isdigit() and len(given) == 3:
        return chr(int(given, 8))
    return _ESCAPES.get(given, given)


_E = Expressions
Expressions.expressions = {
    "identifier": _E.name, "type_identifier": _E.type_name, "package_identifier": _E.type_name, "field_identifier": _E.type_name,
    "selector_expression": _E.member, "qualified_type": _E.qualified, "call_expression": _E.call,
    "type_conversion_expression": _E.converted, "index_expression": _E.index, "slice_expression": _E.slice,
    "type_instantiation_expression": _E.instance, "type_assertion_expression": _E.asserted, "binary_expression": _E.binary,
    "unary_expression": _E.unary, "parenthesized_expression": _E.inner, "expression_list": _E.listed,
    "interpreted_string_literal": _E.string, "raw_string_literal": _E.string, "rune_literal": _E.string,
    "int_literal": _E.number, "float_literal": _E.number, "true": _E.word, "false": _E.word, "nil": _E.word,
    "iota": _E.counted, "composite_literal": _E.composite, "pointer_type": _E.pointer, "slice_type": _E.slice_type,
    "array_type": _E.slice_type, "implicit_length_array_type": _E.slice_type, "map_type": _E.map_type,
    "generic_type": _E.generic, "type_elem": _E.inner, "type_constraint": _E.inner, "interface_type": _E.any_type,
    "struct_type": _E.struct, "parenthesized_type": _E.inner,
}  # fmt: skip
