"""Java's expressions and types lowered to the neutral tree."""

import re
from functools import cache

import tree_sitter
import tree_sitter_java

from mappu.syntax import nodes as n
from mappu.syntax.lowering import MAX_ITEMS, Lowering

_OPERATORS = {"&&": "and", "||": "or"}
_ESCAPES = {"n": "\n", "t": "\t", "r": "\r", "b": "\b", "f": "\f", "s": " ", "0": "\0"}
_WORDS: dict[str, n.LiteralValue] = {"true": True, "false": False, "null_literal": None}


@cache
def parser() -> tree_sitter.Parser:
    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_java.language()))


class Expressions(Lowering):
    """Lowers Java's expressions."""

    def member(self, node: tree_sitter.Node) -> n.Expr:
        return n.Member(self.span(node), self.expr(self.field(node, "object")), self.text(self.field(node, "field")))

    def scoped(self, node: tree_sitter.Node) -> n.Expr:
        """`a.b.C`, as a name or as a type."""
        parts = [c for c in node.named_children if c.type not in ("comment", "annotation", "marker_annotation")]
        found = self.expr(parts[0])
        for part in parts[1:]:
            found = n.Member(self.span(node), found, self.text(part))
        return found

    def reference(self, node: tree_sitter.Node) -> n.Expr:
        """`Type::method`."""
        parts = node.named_children
        name = self.text(parts[-1]) if len(parts) > 1 else "new"
        return n.Member(self.span(node), self.expr(parts[0]), name)

    def call(self, node: tree_sitter.Node) -> n.Expr:
        named, base = self.field(node, "name"), node.child_by_field_name("object")
        func: n.Expr = self.name(named)
        if base is not None:
            func = n.Member(self.span(node), self.expr(base), self.text(named))
        return n.Call(self.span(node), func, self.args(self.field(node, "arguments")))

    def new(self, node: tree_sitter.Node) -> n.Expr:
        made = self.expr(self.field(node, "type"))
        if isinstance(made, n.Index):
            made = made.value
        return n.Call(self.span(node), made, self.args(self.field(node, "arguments")))

    def args(self, node: tree_sitter.Node) -> tuple[n.Arg, ...]:
        return tuple(n.Arg(self.expr(c)) for c in node.named_children if "comment" not in c.type)

    def index(self, node: tree_sitter.Node) -> n.Expr:
        return n.Index(self.span(node), self.expr(self.field(node, "array")), self.expr(self.field(node, "index")))

    # --- constants ----------------------------------------------------------------------------------------------------

    def string(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node)
        if text.startswith('"""'):
            inner = text[3:-3].partition("\n")[2]
            lines = inner.split("\n")
            cut = min((len(x) - len(x.lstrip()) for x in lines if x.strip()), default=0)
            text = "\n".join(x[cut:].rstrip() for x in lines)
        else:
            text = text[1:-1]
        return n.Literal(self.span(node), re.sub(r"\\(u+[0-9a-fA-F]{4}|.)", _unescaped, text, flags=re.S))

    def number(self, node: tree_sitter.Node) -> n.Expr:
        text = self.text(node).replace("_", "")
        try:
            if node.type == "hex_integer_literal" or node.type == "binary_integer_literal":
                return n.Literal(self.span(node), int(text.rstrip("lL"), 0))
            if node.type == "octal_integer_literal":
                return n.Literal(self.span(node), int(text.rstrip("lL"), 8))
            if node.type == "decimal_integer_literal":
                return n.Literal(self.span(node), int(text.rstrip("lL")))
            return n.Literal(self.span(node), float(text.rstrip("fFdD")))
        except ValueError:
            return self.opaque(node)

    def word(self, node: tree_sitter.Node) -> n.Expr:
        return n.Literal(self.span(node), _WORDS[node.type])

    def items(self, node: tree_sitter.Node) -> n.Expr:
        listed = [self.expr(c) for c in node.named_children[:MAX_ITEMS] if "comment" not in c.type]
        return n.Items(self.span(node), "list", tuple(listed))

    def new_array(self, node: tree_sitter.Node) -> n.Expr:
        given = node.child_by_field_name("value")
        return self.items(given) if given is not None else n.Items(self.span(node), "list", ())

    # --- operators ----------------------------------------------------------------------------------------------------

    def binary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        left, right = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        return n.Binary(self.span(node), _OPERATORS.get(op, op), left, right)

    def is_a(self, node: tree_sitter.Node) -> n.Expr:
        span, left = self.span(node), self.expr(self.field(node, "left"))
        right = self.expr(self.field(node, "right"))
        name = node.child_by_field_name("name")
        if name is not None:
            # `x instanceof T t`: t is x from here on.
            left = n.Bind(span, self.name(name), left)
        return n.Binary(span, "is-a", left, right)

    def unary(self, node: tree_sitter.Node) -> n.Expr:
        op = self.text(self.field(node, "operator"))
        value = self.expr(self.field(node, "operand"))
        if op == "-" and isinstance(value, n.Literal) and isinstance(value.value, int | float):
            return n.Literal(self.span(node), -value.value)
        return value if op == "+" else n.Unary(self.span(node), "not" if op == "!" else op, value)

    def cast(self, node: tree_sitter.Node) -> n.Expr:
        return self.expr(self.field(node, "value"))

    def switch(self, node: tree_sitter.Node) -> n.Expr:
        """A switch that gives a value, as choices one after another where every arm is an expression."""
        span, subject = self.span(node), self.inner(self.field(node, "condition"))
        arms: list[tuple[n.Expr | None, n.Expr]] = []
        for rule in self.field(node, "body").named_children:
            label = rule.named_children[0] if rule.named_children else None
            if rule.type != "switch_rule" or label is None or rule.named_children[-1].type != "expression_statement":
                return self.opaque(node)
            tests = [n.Binary(span, "==", subject, self.expr(c)) for c in label.named_children]
            test: n.Expr | None = tests[0] if tests else None
            for other in tests[1:]:
                assert test is not None
                test = n.Binary(span, "or", test, other)
            arms.append((test, self.inner(rule.named_children[-1])))
        found: n.Expr = next((value for test, value in arms if test is None), n.Literal(span, None))
        for test, value in reversed(arms):
            found = n.Choice(span, test, value, found) if test is not None else found
        return found

    # --- functions written out ----------------------------------------------------------------------------------------

    def lambda_(self, node: tree_sitter.Node) -> n.Expr:
        given, body = self.field(node, "parameters"), self.field(node, "body")
        names = [given] if given.type == "identifier" else given.named_children
        if given.type == "formal_parameters":
            params = self.params(given)
        else:
            params = tuple(n.Param(self.span(c), self.text(c)) for c in names)
        if body.type == "block":
            inside = self.block(body)
        else:
            inside = (n.Leave(self.span(body), "return", self.expr(body)),)
        return n.Function(self.span(node), "", params, None, (), n.Lazy(lambda: inside))

    def params(self, node: tree_sitter.Node | None) -> tuple[n.Param, ...]:
        found = []
        for child in node.named_children if node is not None else ():
            if child.type not in ("formal_parameter", "spread_parameter"):
                continue
            named, type_ = child.child_by_field_name("name"), self.opt(child, "type")
            rest = child.type == "spread_parameter"
            if rest:
                types = [c for c in child.named_children if c.type not in ("modifiers", "variable_declarator")]
                declarator = next((c for c in child.named_children if c.type == "variable_declarator"), None)
                named = declarator.child_by_field_name("name") if declarator is not None else None
                type_ = self.expr(types[0]) if types else None
            if named is not None:
                name, marks = self.text(named), self.marks(child)
                found.append(n.Param(self.span(child), name, type_, None, marks, "rest" if rest else "plain"))
        return tuple(found)

    # --- annotations and types ----------------------------------------------------------------------------------------

    def marks(self, node: tree_sitter.Node) -> tuple[n.Mark, ...]:
        """The annotations in front of a declaration, and those of its modifiers that matter."""
        found: list[n.Mark] = []
        for holder in (node, *(c for c in node.named_children if c.type == "modifiers")):
            found.extend(self.mark(c) for c in holder.named_children if c.type in ("annotation", "marker_annotation"))
            if holder.type == "modifiers":
                words = [c for c in holder.children if c.type in ("static", "abstract", "transient", "private")]
                found.extend(n.Mark(self.span(c), n.Name(self.span(c), c.type), None, "attribute") for c in words)
        return tuple(found)

    def mark(self, node: tree_sitter.Node) -> n.Mark:
        given = node.child_by_field_name("arguments")
        args = []
        for child in given.named_children if given is not None else ():
            if child.type == "element_value_pair":
                args.append(n.Arg(self.expr(self.field(child, "value")), self.text(self.field(child, "key"))))
            elif "comment" not in child.type:
                args.append(n.Arg(self.expr(child)))
        made = tuple(args) if given is not None else None
        return n.Mark(self.span(node), self.expr(self.field(node, "name")), made, "annotation")

    def annotation(self, node: tree_sitter.Node) -> n.Expr:
        """An annotation as the argument of another."""
        return self.mark(node).as_call()

    def generic(self, node: tree_sitter.Node) -> n.Expr:
        args = next((c for c in node.named_children if c.type == "type_arguments"), None)
        inner = [self.expr(c) for c in args.named_children if "comment" not in c.type] if args is not None else []
        value, span = self.expr(node.named_children[0]), self.span(node)
        if not inner:
            return value
        return n.Index(span, value, inner[0] if len(inner) == 1 else n.Items(span, "tuple", tuple(inner)))

    def array_type(self, node: tree_sitter.Node) -> n.Expr:
        span = self.span(node)
        return n.Index(span, n.Name(span, "Array"), self.expr(self.field(node, "element")))

    def annotated(self, node: tree_sitter.Node) -> n.Expr:
        """`@NotBlank String` as a type argument: the type together with its annotations."""
        span = self.span(node)
        marks = [self.mark(c).as_call() for c in node.named_children if c.type in ("annotation", "marker_annotation")]
        return n.Index(
            span, n.Name(span, "Annotated"), n.Items(span, "tuple", (self.expr(node.named_children[-1]), *marks))
        )

    def wildcard(self, node: tree_sitter.Node) -> n.Expr:
        types = [c for c in node.named_children if "annotation" not in c.type]
        return self.expr(types[-1]) if types else n.Name(self.span(node), "Object")

    def class_literal(self, node: tree_sitter.Node) -> n.Expr:
        return self.inner(node)


def _unescaped(match: re.Match[str]) -> str:
    given = match[1]
    return chr(int(given.lstrip("u"), 16)) if given[0] == "u" and len(given) > 1 else _ESCAPES.get(given, given)


_E = Expressions
Expressions.expressions = {
    "identifier": _E.name, "type_identifier": _E.name, "this": _E.name, "super": _E.name, "integral_type": _E.name,
    "floating_point_type": _E.name, "boolean_type": _E.name, "void_type": _E.name,
    "field_access": _E.member, "scoped_identifier": _E.scoped, "scoped_type_identifier": _E.scoped,
    "method_invocation": _E.call, "method_reference": _E.reference, "object_creation_expression": _E.new,
    "array_access": _E.index, "array_creation_expression": _E.new_array, "array_initializer": _E.items,
    "element_value_array_initializer": _E.items, "string_literal": _E.string, "character_literal": _E.string,
    "decimal_integer_literal": _E.number, "hex_integer_literal": _E.number, "octal_integer_literal": _E.number,
    "binary_integer_literal": _E.number, "decimal_floating_point_literal": _E.number, "true": _E.word, "false": _E.word,
    "null_literal": _E.word, "binary_expression": _E.binary, "instanceof_expression": _E.is_a,
    "unary_expression": _E.unary, "ternary_expression": _E.choice, "assignment_expression": _E.assigned,
    "cast_expression": _E.cast, "parenthesized_expression": _E.inner, "switch_expression": _E.switch,
    "lambda_expression": _E.lambda_, "annotation": _E.annotation, "marker_annotation": _E.annotation,
    "generic_type": _E.generic, "array_type": _E.array_type, "annotated_type": _E.annotated, "wildcard": _E.wildcard,
    "class_literal": _E.class_literal,
}  # fmt: skip
