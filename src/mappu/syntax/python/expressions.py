"""Python's expressions lowered to the neutral tree."""

import ast
import re
import warnings
from typing import Any, cast

import tree_sitter

from mappu.syntax import nodes as n
from mappu.syntax.lowering import MAX_ITEMS, Lowering

_OPERATORS = {"not in": "not-in", "is not": "is-not", "<>": "!="}


class Expressions(Lowering):
    """Lowers Python's expressions."""

    def dotted_name(self, node: tree_sitter.Node) -> n.Expr:
        first, *rest = node.named_children
        found: n.Expr = self.name(first)
        for part in rest:
            found = n.Member(self.span(node), found, self.text(part))
        return found

    def member(self, node: tree_sitter.Node) -> n.Expr:
        return n.Member(
            self.span(node), self.expr(self.field(node, "object")), self.text(self.field(node, "attribute"))
        )

    def subscript(self, node: tree_sitter.Node) -> n.Expr:
        keys = [self.expr(c) for c in node.children_by_field_name("subscript")]
        return self.index(node, self.expr(self.field(node, "value")), keys)

    def generic(self, node: tree_sitter.Node) -> n.Expr:
        params = [self.expr(c) for c in node.named_children[1].named_children]
        return self.index(node, self.expr(node.named_children[0]), params)

    def index(self, node: tree_sitter.Node, value: n.Expr, keys: list[n.Expr]) -> n.Expr:
        span = self.span(node)
        key = keys[0] if len(keys) == 1 else n.Items(span, "tuple", tuple(keys))
        return n.Index(span, value, key)

    def call(self, node: tree_sitter.Node) -> n.Expr:
        args = self.field(node, "arguments")
        found = (n.Arg(self.expr(args)),) if args.type == "generator_expression" else self.args(args)
        return n.Call(self.span(node), self.expr(self.field(node, "function")), found)

    def args(self, node: tree_sitter.Node) -> tuple[n.Arg, ...]:
        found = []
        for child in node.named_children:
            if child.type == "keyword_argument":
                found.append(n.Arg(self.expr(self.field(child, "value")), self.text(self.field(child, "name"))))
            elif child.type == "list_splat":
                found.append(n.Arg(self.inner(child), None, True))
            elif child.type == "dictionary_splat":
                found.append(n.Arg(self.inner(child), "**", True))
            elif child.type != "comment":
                found.append(n.Arg(self.expr(child)))
        return tuple(found)

    def string(self, node: tree_sitter.Node) -> n.Expr:
        if any(c.type == "interpolation" for c in node.named_children):
            parts: list[n.Expr] = []
            for child in node.named_children:
                if child.type == "string_content":
                    parts.append(self.piece(child, raw="r" in re.split("[\"']", self.text(node))[0].lower()))
                elif child.type == "interpolation":
                    parts.append(self.expr(self.field(child, "expression")))
            return n.Template(self.span(node), tuple(parts))
        text = self.text(node)
        prefix = text[: len(text) - len(text.lstrip("fFbBrRuUtT"))]
        if "f" in prefix.lower() or "t" in prefix.lower():
            text = prefix.lower().replace("f", "").replace("t", "") + text[len(prefix) :]
        return self.constant(node, text)

    def piece(self, node: tree_sitter.Node, raw: bool) -> n.Expr:
        """A stretch of text between the expressions in it."""
        text = self.text(node).replace("{{", "{").replace("}}", "}")
        if raw or "\\" not in text:
            return n.Literal(self.span(node), text)
        return self.constant(node, f'"""{text}"""')

    def constant(self, node: tree_sitter.Node, text: str) -> n.Expr:
        # Most constants are plain; the language's own reader takes the rest.
        if len(text) < 19 and text.isdecimal() and (text == "0" or text[0] != "0"):
            return n.Literal(self.span(node), int(text))
        if text[:1] in "\"'" and "\\" not in text and text[:3] not in ('"""', "'''"):
            return n.Literal(self.span(node), text[1:-1])
        try:
            with warnings.catch_warnings():
                warnings.simplefilter("ignore")
                value = ast.literal_eval(text)
        except (ValueError, SyntaxError, MemoryError, RecursionError):
            return self.opaque(node)
        if isinstance(value, str | int | float | bytes):
            return n.Literal(self.span(node), value)
        return self.opaque(node)

    def literal(self, node: tree_sitter.Node) -> n.Expr:
        return self.constant(node, self.text(node))

    def strings(self, node: tree_sitter.Node) -> n.Expr:
        parts: list[n.Expr] = [self.expr(c) for c in node.named_children if c.type == "string"]
        if all(isinstance(p, n.Literal) and isinstance(p.value, str) for p in parts):
            return n.Literal(self.span(node), "".join(str(cast(n.Literal, p).value) for p in parts))
        return n.Template(self.span(node), tuple(parts))

    def word(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), {"true": True, "false": False, "none": None}[node.type])

    def items(self, node: tree_sitter.Node) -> n.Expr:
        kind: Any = {"list": "list", "set": "set", "list_pattern": "list"}.get(node.type, "tuple")
        if node.named_child_count > MAX_ITEMS:
            return self.opaque(node)
        found = tuple(self.expr(c) for c in node.named_children if c.type != "comment")
        return n.Items(self.span(node), kind, found)

    def entries(self, node: tree_sitter.Node) -> n.Expr:
        if node.named_child_count > MAX_ITEMS:
            return self.opaque(node)
        found: list[tuple[n.Expr | None, n.Expr]] = []
        for child in node.named_children:
            if child.type == "pair":
                found.append((self.expr(self.field(child, "key")), self.expr(self.field(child, "value"))))
            elif child.type == "dictionary_splat":
                found.append((None, self.inner(child)))
        return n.Entries(self.span(node), tuple(found))

    def unary(self, node: tree_sitter.Node) -> n.Expr:
        op = "not" if node.type == "not_operator" else self.text(self.field(node, "operator"))
        value = self.expr(self.field(node, "argument"))
        if op == "-" and isinstance(value, n.Literal) and isinstance(value.value, int | float):
            return n.Literal(self.span(node), -value.value)
        return n.Unary(self.span(node), op, value)

    def yield_(self, node: tree_sitter.Node) -> n.Expr:
        value = self.inner(node) if node.named_children else n.Literal(self.span(node), None)
        return n.Unary(self.span(node), "yield", value)

    def spread(self, node: tree_sitter.Node) -> n.Expr:
        return n.Unary(self.span(node), "spread", self.inner(node))

    def binary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        return n.Binary(self.span(node), op, self.expr(self.field(node, "left")), self.expr(self.field(node, "right")))

    def union(self, node: tree_sitter.Node) -> n.Expr:
        left, right = node.named_children[0], node.named_children[-1]
        return n.Binary(self.span(node), "|", self.expr(left), self.expr(right))

    def comparison(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        operands = [self.expr(c) for c in node.named_children if c.type != "comment"]
        raw = [" ".join(self.text(o).split()) for o in node.children_by_field_name("operators")]
        # `not in` and `is not` come as two tokens each in some grammar versions.
        ops = " ".join(raw).replace("not in", "not-in").replace("is not", "is-not").split()
        ops = [_OPERATORS.get(o, o) for o in ops]
        found: n.Expr | None = None
        for left, op, right in zip(operands, ops, operands[1:], strict=False):
            pair = n.Binary(span, op, left, right)
            found = pair if found is None else n.Binary(span, "and", found, pair)
        return found if found is not None else self.opaque(node)

    def choice(self, node: tree_sitter.Node) -> n.Expr:
        parts = [self.expr(c) for c in node.named_children if c.type != "comment"]
        return n.Choice(self.span(node), parts[1], parts[0], parts[2]) if len(parts) == 3 else self.opaque(node)

    def lambda_(self, node: tree_sitter.Node) -> n.Expr:
        body = self.field(node, "body")
        span = self.span(node)

        made = (n.Leave(self.span(body), "return", self.expr(body)),)
        return n.Function(span, "", self.params(node.child_by_field_name("parameters")), None, (), n.Lazy(lambda: made))

    def params(self, node: tree_sitter.Node | None) -> tuple[n.Param, ...]:
        found = []
        for child in node.named_children if node is not None else ():
            type_, default = self.opt(child, "type"), self.opt(child, "value")
            target = child.child_by_field_name("name") or child
            if child.type == "typed_parameter":
                target = child.named_children[0]
            if target.type in ("list_splat_pattern", "dictionary_splat_pattern"):
                kind: Any = "rest" if target.type == "list_splat_pattern" else "named-rest"
                name = self.text(target).lstrip("*")
            elif target.type == "identifier":
                kind, name = "plain", self.text(target)
            else:
                continue
            found.append(n.Param(self.span(child), name, type_, default, (), kind))
        return tuple(found)

    def bind(self, node: tree_sitter.Node) -> n.Expr:
        return n.Bind(self.span(node), self.expr(self.field(node, "name")), self.expr(self.field(node, "value")))

    def comprehension(self, node: tree_sitter.Node) -> n.Expr:
        kinds: dict[str, Any] = {
            "list_comprehension": "list", "set_comprehension": "set", "dictionary_comprehension": "map",
        }  # fmt: skip
        body = self.field(node, "body")
        if body.type == "pair":
            pair = (self.expr(self.field(body, "key")), self.expr(self.field(body, "value")))
            element: n.Expr = n.Items(self.span(body), "tuple", pair)
        else:
            element = self.expr(body)
        loops = tuple(
            (self.expr(self.field(c, "left")), self.expr(self.field(c, "right")))
            for c in node.named_children
            if c.type == "for_in_clause"
        )
        tests = tuple(self.inner(c) for c in node.named_children if c.type == "if_clause")
        return n.Comprehension(self.span(node), kinds.get(node.type, "generator"), element, loops, tests)


_E = Expressions
Expressions.expressions = {
    "identifier": _E.name, "dotted_name": _E.dotted_name, "attribute": _E.member, "member_type": _E.member,
    "subscript": _E.subscript, "generic_type": _E.generic, "call": _E.call, "string": _E.string,
    "concatenated_string": _E.strings, "integer": _E.literal, "float": _E.literal, "true": _E.word, "false": _E.word,
    "none": _E.word, "list": _E.items, "tuple": _E.items, "set": _E.items, "expression_list": _E.items,
    "pattern_list": _E.items, "tuple_pattern": _E.items, "list_pattern": _E.items, "dictionary": _E.entries,
    "unary_operator": _E.unary, "not_operator": _E.unary, "binary_operator": _E.binary,
    "boolean_operator": _E.binary, "comparison_operator": _E.comparison, "union_type": _E.union,
    "conditional_expression": _E.choice, "lambda": _E.lambda_, "named_expression": _E.bind,
    "list_comprehension": _E.comprehension, "set_comprehension": _E.comprehension,
    "dictionary_comprehension": _E.comprehension, "generator_expression": _E.comprehension,
    "parenthesized_expression": _E.inner, "type": _E.inner, "await": _E.inner, "yield": _E.yield_,
    "case_pattern": _E.inner, "list_splat": _E.spread, "list_splat_pattern": _E.spread, "as_pattern": _E.inner,
}  # fmt: skip
