"""Kotlin's expressions and types lowered to the neutral tree."""

from functools import cache

import tree_sitter
import tree_sitter_kotlin

from mappu.syntax import nodes as n
from mappu.syntax.lowering import MAX_ITEMS, Lowering

_OPERATORS = {"&&": "and", "||": "or", "?:": "or", "===": "==", "!==": "!="}
_WORDS: dict[str, n.LiteralValue] = {"true": True, "false": False, "null": None}
_COMMENTS = ("line_comment", "block_comment", "comment")
# Kotlin's names of types, as the machine knows them: where null is no value of them, and where it is.
_PLAIN = {"Int": "int", "Long": "long", "Short": "short", "Byte": "byte", "Double": "double", "Float": "float",
          "Boolean": "boolean", "Char": "char", "Any": "Object"}  # fmt: skip
_BOXED = {"Int": "Integer", "Char": "Character", "Any": "Object"}


@cache
def parser() -> tree_sitter.Parser:
    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_kotlin.language()))


class Expressions(Lowering):
    """Lowers Kotlin's expressions."""

    def parts(self, node: tree_sitter.Node) -> list[tree_sitter.Node]:
        return [c for c in node.named_children if c.type not in _COMMENTS]

    def word(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node)
        return n.Literal(self.span(node), _WORDS[text]) if text in _WORDS else self.name(node)

    def dotted_name(self, node: tree_sitter.Node) -> n.Expr:
        first, *rest = self.parts(node)
        found: n.Expr = self.name(first)
        for part in rest:
            found = n.Member(self.span(node), found, self.text(part))
        return found

    def member(self, node: tree_sitter.Node) -> n.Expr:
        parts = self.parts(node)
        safe = any(c.type == "?." for c in node.children)
        base, span = self.expr(parts[0]), self.span(node)
        if isinstance(base, n.Unary) and base.op == "not" and parts[0].type == "unary_expression":
            # The grammar reads `!a.b` as `(!a).b`.
            return n.Unary(span, "not", n.Member(span, base.value, self.text(parts[-1]), safe))
        return n.Member(span, base, self.text(parts[-1]), safe)

    def call(self, node: tree_sitter.Node) -> n.Expr:
        func: n.Expr | None = None
        args: list[n.Arg] = []
        for part in self.parts(node):
            if part.type == "value_arguments":
                args.extend(self.args(part))
            elif part.type in ("annotated_lambda", "lambda_literal"):
                args.append(n.Arg(self.expr(part if part.type == "lambda_literal" else part.named_children[-1])))
            elif part.type != "type_arguments":
                func = self.expr(part)
        if isinstance(func, n.Call) and args and not any(c.type == "value_arguments" for c in node.named_children):
            # `f(x) { … }` is one call.
            return n.Call(self.span(node), func.func, (*func.args, *args))
        if isinstance(func, n.Unary) and func.op == "not":
            return n.Unary(self.span(node), "not", n.Call(self.span(node), func.value, tuple(args)))
        return n.Call(self.span(node), func or self.opaque(node), tuple(args))

    def args(self, node: tree_sitter.Node) -> list[n.Arg]:
        found = []
        for child in self.parts(node):
            parts = self.parts(child)
            if not parts:
                continue
            named = len(parts) > 1 and any(c.type == "=" for c in child.children)
            spread = any(c.type == "*" for c in child.children)
            found.append(n.Arg(self.expr(parts[-1]), self.text(parts[0]) if named else None, spread))
        return found

    def index(self, node: tree_sitter.Node) -> n.Expr:
        parts = self.parts(node)
        return n.Index(self.span(node), self.expr(parts[0]), self.expr(parts[-1]))

    def string(self, node: tree_sitter.Node) -> n.Expr:
        span, parts = self.span(node), self.parts(node)
        text = self.text(node)
        if not any(p.type == "interpolation" for p in parts) and "$" not in text:
            quotes = 3 if text.startswith('"""') else 1
            plain = text[quotes:-quotes]
            return n.Literal(span, plain if quotes == 3 else plain.replace("\\\\", "\\").replace('\\"', '"'))
        pieces: list[n.Expr] = []
        for i, part in enumerate(parts):
            if part.type == "interpolation":
                pieces.append(self.inner(part))
            elif self.text(part) == "$" and i + 1 < len(parts):
                # `$name`: the name is the beginning of what follows.
                name = "".join(c for c in self.text(parts[i + 1]) if c.isalnum() or c == "_")
                pieces.append(n.Name(self.span(part), name))
            else:
                pieces.append(n.Literal(self.span(part), self.text(part)))
        return n.Template(span, tuple(pieces))

    def number(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node).replace("_", "").rstrip("LuUfF")
        try:
            return n.Literal(self.span(node), float(text) if "." in text else int(text, 0))
        except ValueError:
            return self.opaque(node)

    def items(self, node: tree_sitter.Node) -> n.Expr:
        return n.Items(self.span(node), "list", tuple(self.expr(c) for c in self.parts(node)[:MAX_ITEMS]))

    def binary(self, node: tree_sitter.Node) -> n.Expr:
        sign = self.text(self.field(node, "operator"))
        left, right = self.field(node, "left"), self.field(node, "right")
        if node.child_by_field_name("operator") is None:
            between = self.source[left.end_byte : right.start_byte].decode("utf-8", "replace")
            sign = between.strip()
        made, span = self.expr(left), self.span(node)
        if sign == "?:" and right.type in ("return_expression", "throw_expression"):
            # It goes on only where there is something.
            return made
        return n.Binary(span, _OPERATORS.get(sign, sign), made, self.expr(right))

    def contained(self, node: tree_sitter.Node) -> n.Expr:
        parts = self.parts(node)
        away = any(c.type == "!in" for c in node.children)
        return n.Binary(self.span(node), "not-in" if away else "in", self.expr(parts[0]), self.expr(parts[-1]))

    def is_a(self, node: tree_sitter.Node) -> n.Expr:
        parts = self.parts(node)
        found = n.Binary(self.span(node), "is-a", self.expr(parts[0]), self.expr(parts[-1]))
        return n.Unary(found.span, "not", found) if any(c.type == "!is" for c in node.children) else found

    def unary(self, node: tree_sitter.Node) -> n.Expr:
        value = self.inner(node)
        sign = self.text(node)[:1]
        if sign == "-" and isinstance(value, n.Literal) and isinstance(value.value, int | float):
            return n.Literal(self.span(node), -value.value)
        return n.Unary(self.span(node), "not", value) if sign == "!" else value

    def choice(self, node: tree_sitter.Node) -> n.Expr:
        parts = self.parts(node)
        if len(parts) < 3:
            return self.opaque(node)
        return n.Choice(self.span(node), self.expr(parts[0]), self.last(parts[1]), self.last(parts[2]))

    def last(self, node: tree_sitter.Node) -> n.Expr:
        """The value of a block, which is its last expression."""
        parts = self.parts(node) if node.type == "block" else [node]
        return self.expr(parts[-1]) if parts else self.opaque(node)

    def lambda_(self, node: tree_sitter.Node) -> n.Expr:
        listed = next((c for c in node.named_children if c.type == "lambda_parameters"), None)
        span = self.span(node)
        names = (
            [self.text(self.parts(c)[0] if self.parts(c) else c) for c in self.parts(listed)]
            if listed is not None
            else ["it"]
        )
        body = [c for c in self.parts(node) if c.type != "lambda_parameters"]
        stmts = tuple(s for c in body for s in self.statement(c))
        if stmts and isinstance(stmts[-1], n.Do):
            stmts = (*stmts[:-1], n.Leave(stmts[-1].span, "return", stmts[-1].value))
        return n.Function(span, "", tuple(n.Param(span, x) for x in names), None, (), n.Lazy(lambda: stmts))

    # --- annotations and types ----------------------------------------------------------------------------------------

    def annotations(self, node: tree_sitter.Node | None) -> list[tree_sitter.Node]:
        found: list[tree_sitter.Node] = []
        for child in node.named_children if node is not None else ():
            if child.type == "annotation":
                found.append(child)
            elif child.type in ("modifiers", "parameter_modifiers", "type_modifiers"):
                found.extend(self.annotations(child))
        return found

    def mark(self, node: tree_sitter.Node, args: tree_sitter.Node | None = None) -> n.Mark:
        """An annotation; `args` are those that the grammar took for something else."""
        site = next((self.text(c).rstrip(":") for c in node.named_children if c.type == "use_site_target"), None)
        made = next((c for c in node.named_children if c.type == "constructor_invocation"), None)
        named = self.parts(made)[0] if made is not None else node.named_children[-1]
        listed = (
            next((c for c in made.named_children if c.type == "value_arguments"), None) if made is not None else None
        )
        given: tuple[n.Arg, ...] | None = tuple(self.args(listed)) if listed is not None else None
        if args is not None:
            given = tuple(n.Arg(self.expr(c)) for c in self.parts(args))
        name = self.type_name(named)
        return n.Mark(self.span(node), name, given, "annotation", site)

    def type_name(self, node: tree_sitter.Node) -> n.Expr:
        names = [c for c in self.parts(node) if c.type == "identifier"] or [node]
        found: n.Expr = self.name(names[0])
        for part in names[1:]:
            found = n.Member(self.span(node), found, self.text(part))
        return found

    def type(self, node: tree_sitter.Node) -> n.Expr:
        return self.made_type(node, _PLAIN)

    def made_type(self, node: tree_sitter.Node, names: dict[str, str]) -> n.Expr:
        span, found = self.span(node), self.type_name(node)
        if isinstance(found, n.Name):
            found = n.Name(found.span, names.get(found.id, found.id))
        listed = next((c for c in node.named_children if c.type == "type_arguments"), None)
        # What a list or map holds is always an object.
        inner = [self.argument_type(c) for c in self.parts(listed)] if listed is not None else []
        if inner:
            found = n.Index(span, found, inner[0] if len(inner) == 1 else n.Items(span, "tuple", tuple(inner)))
        marks = [self.mark(a).as_call() for a in self.annotations(node)]
        if marks:
            found = n.Index(span, n.Name(span, "Annotated"), n.Items(span, "tuple", (found, *marks)))
        return found

    def argument_type(self, node: tree_sitter.Node) -> n.Expr:
        inner = self.parts(node)[-1] if node.type == "type_projection" and self.parts(node) else node
        return self.made_type(inner, _BOXED) if inner.type == "user_type" else self.expr(inner)

    def nullable(self, node: tree_sitter.Node) -> n.Expr:
        inner = self.parts(node)[0]
        made = self.made_type(inner, _BOXED) if inner.type == "user_type" else self.expr(inner)
        return n.Binary(self.span(node), "|", made, n.Literal(self.span(node), None))

    def reference(self, node: tree_sitter.Node) -> n.Expr:
        """`Type::class` and `Type::method`."""
        parts = self.parts(node)
        name = self.text(node).rpartition("::")[2]
        return self.expr(parts[0]) if name == "class" else n.Member(self.span(node), self.expr(parts[0]), name)

    def statement_value(self, node: tree_sitter.Node) -> n.Expr:
        return self.opaque(node)


_E = Expressions
Expressions.expressions = {
    "identifier": _E.word, "qualified_identifier": _E.dotted_name, "this_expression": _E.name, "super_expression": _E.name,
    "navigation_expression": _E.member, "call_expression": _E.call, "index_expression": _E.index, "string_literal": _E.string,
    "multiline_string_literal": _E.string, "number_literal": _E.number, "float_literal": _E.number,
    "collection_literal": _E.items, "binary_expression": _E.binary, "in_expression": _E.contained, "is_expression": _E.is_a,
    "unary_expression": _E.unary, "prefix_expression": _E.unary, "postfix_expression": _E.inner, "if_expression": _E.choice,
    "lambda_literal": _E.lambda_, "parenthesized_expression": _E.inner, "as_expression": _E.inner, "user_type": _E.type,
    "nullable_type": _E.nullable, "callable_reference": _E.reference, "annotated_expression": _E.inner, "null": _E.word,
}  # fmt: skip
