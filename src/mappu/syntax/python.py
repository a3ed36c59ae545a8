"""The Python front end: tree-sitter's tree lowered to the neutral one."""

import ast
import warnings
from collections.abc import Callable
from functools import cache
from typing import Any, cast

import tree_sitter
import tree_sitter_python

from mappu.syntax import nodes as n

# Deeper nesting than people write; it also keeps every recursive walk of the tree well inside Python's own limit.
MAX_DEPTH = 100
MAX_DAMAGE = 5
# A table of data, not a list of alternatives.
MAX_ITEMS = 2000

_TOP = n.Span(1, 0, 0)
_OPERATORS = {"not in": "not-in", "is not": "is-not", "<>": "!="}


@cache
def _parser() -> tree_sitter.Parser:
    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_python.language()))


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = _parser().parse(source).root_node
    lowering = _Lowering(source)
    body = lowering.block(root)
    if root.has_error:
        lowering.note_errors(root)
    return n.Module(path, "python", source, body, lowering.damage)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text` (a type written as a string), every node standing at `span`."""
    root = _parser().parse(text.encode()).root_node
    found = next((c for c in root.named_children if c.type == "expression_statement"), None)
    if found is None or root.has_error:
        return n.Opaque(span, text)
    return _Lowering(text.encode(), at=span).expr(found.named_children[0])


def _body(whole: bytes, first: n.Span, damage: list[n.Damage]) -> tuple[n.Stmt, ...]:
    """Lower the body of the function that stands there. It is parsed again by itself: holding on to the whole file's
    tree until somebody asks for a body would cost far more memory than most bodies, never asked for, are worth."""
    part = whole[first.start : first.end]
    lowering = _Lowering(part, whole=whole, start=first, damage=damage)
    root = _parser().parse(part).root_node
    function = next((c for c in root.named_children if c.type == "function_definition"), root)
    return lowering.block(function.child_by_field_name("body") or function)


class _Lowering:
    """Lowers the nodes of one file, or of a part of it that begins at `start`. `at` overrides where they stand."""

    def __init__(
        self, source: bytes, at: n.Span | None = None, whole: bytes | None = None, start: n.Span = _TOP,
        damage: list[n.Damage] | None = None,
    ) -> None:  # fmt: skip
        self.source = source
        self.whole = source if whole is None else whole
        self.start = start
        self.at = at
        self.depth = 0
        self.damage = damage if damage is not None else []

    # --- helpers ------------------------------------------------------------------------------------------------------

    def span(self, node: tree_sitter.Node) -> n.Span:
        if self.at is not None:
            return self.at
        first = self.start
        return n.Span(node.start_point[0] + first.line, node.start_byte + first.start, node.end_byte + first.start)

    def text(self, node: tree_sitter.Node) -> str:
        return self.source[node.start_byte : node.end_byte].decode("utf-8", "replace")

    def opaque(self, node: tree_sitter.Node) -> n.Opaque:
        return n.Opaque(self.span(node), self.text(node)[:200])

    def note_errors(self, root: tree_sitter.Node) -> None:
        """Note where the source does not parse, outermost places only, a handful at most."""
        stack = [root]
        while stack and len(self.damage) < MAX_DAMAGE:
            node = stack.pop()
            if node.is_missing or node.type == "ERROR":
                self.damage.append(n.Damage(self.span(node).line, "syntax error: this part could not be read"))
            else:
                stack.extend(c for c in reversed(node.children) if c.has_error or c.is_missing)

    def field(self, node: tree_sitter.Node, name: str) -> tree_sitter.Node:
        found = node.child_by_field_name(name)
        return found if found is not None else node

    def opt(self, node: tree_sitter.Node, name: str) -> n.Expr | None:
        found = node.child_by_field_name(name)
        return self.expr(found) if found is not None else None

    # --- statements ---------------------------------------------------------------------------------------------------

    def block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        if node is None:
            return ()
        self.depth += 1
        if self.depth > MAX_DEPTH:
            self.damage.append(n.Damage(self.span(node).line, f"nested deeper than {MAX_DEPTH} levels"))
            self.depth -= 1
            return (self.opaque(node),)
        found: list[n.Stmt] = []
        for child in node.named_children:
            found.extend(self.statement(child))
        self.depth -= 1
        return tuple(found)

    def statement(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        if node.type in ("ERROR", "block"):
            # What can be made out inside a damaged part still counts; the damage itself is noted once a file.
            return self.block(node)
        handler = _STATEMENTS.get(node.type)
        if handler is None:
            return ()
        return handler(self, node)

    def do(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        inner = node.named_children[0] if node.named_children else None
        if inner is None or inner.type in ("string", "concatenated_string", "ellipsis", "comment"):
            return ()
        if inner.type == "assignment":
            return (self.assignment(inner),)
        if inner.type == "augmented_assignment":
            op = self.text(self.field(inner, "operator"))[:-1]
            value = self.expr(self.field(inner, "right"))
            return (n.Assign(self.span(inner), (self.expr(self.field(inner, "left")),), value, op),)
        return (n.Do(self.span(node), self.expr(inner)),)

    def assignment(self, node: tree_sitter.Node) -> n.Stmt:
        left = self.field(node, "left")
        type_ = self.opt(node, "type")
        right = node.child_by_field_name("right")
        if type_ is not None and left.type == "identifier":
            value = self.expr(right) if right is not None else None
            return n.Variable(self.span(node), self.text(left), type_, value)
        targets = [self.expr(left)]
        while right is not None and right.type == "assignment":
            targets.append(self.expr(self.field(right, "left")))
            right = right.child_by_field_name("right")
        if right is None:
            return n.Do(self.span(node), targets[0])
        return n.Assign(self.span(node), tuple(targets), self.expr(right))

    def if_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        clauses = [node, *node.children_by_field_name("alternative")]
        other: tuple[n.Stmt, ...] = ()
        for clause in reversed(clauses):
            if clause.type == "else_clause":
                other = self.block(clause.child_by_field_name("body"))
            else:
                test = self.expr(self.field(clause, "condition"))
                other = (n.If(self.span(clause), test, self.block(clause.child_by_field_name("consequence")), other),)
        return other

    def other(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        clause = next((c for c in node.named_children if c.type == "else_clause"), None)
        return self.block(clause.child_by_field_name("body")) if clause is not None else ()

    def for_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        body = self.block(node.child_by_field_name("body"))
        target, over = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        return (n.Loop(self.span(node), target, over, None, body, self.other(node)),)

    def while_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        body = self.block(node.child_by_field_name("body"))
        return (n.Loop(self.span(node), None, None, self.expr(self.field(node, "condition")), body, self.other(node)),)

    def return_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        value = self.expr(node.named_children[0]) if node.named_children else None
        return (n.Leave(self.span(node), "return", value),)

    def raise_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        value = self.expr(node.named_children[0]) if node.named_children else None
        return (n.Leave(self.span(node), "raise", value),)

    def assert_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        test = n.Unary(span, "not", self.expr(node.named_children[0]))
        return (n.If(span, test, (n.Leave(span, "raise", n.Name(span, "AssertionError")),), ()),)

    def try_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        catches = []
        final: tuple[n.Stmt, ...] = ()
        for clause in node.named_children:
            block = next((c for c in clause.named_children if c.type == "block"), None)
            if clause.type in ("except_clause", "except_group_clause"):
                catches.append(self.catch(clause, block))
            elif clause.type == "finally_clause":
                final = self.block(block)
        body = self.block(node.child_by_field_name("body"))
        return (n.Try(self.span(node), body, tuple(catches), self.other(node), final),)

    def catch(self, clause: tree_sitter.Node, block: tree_sitter.Node | None) -> n.Catch:
        named = [c for c in clause.named_children if c.type not in ("block", "comment")]
        types: tuple[n.Expr, ...] = ()
        name = None
        if named:
            value = named[0]
            if value.type == "as_pattern":
                name = self.text(self.field(value, "alias"))
                value = value.named_children[0]
            caught = self.expr(value)
            types = caught.items if isinstance(caught, n.Items) else (caught,)
        return n.Catch(self.span(clause), types, name, self.block(block))

    def with_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        items: list[tuple[n.Expr, n.Expr | None]] = []
        for clause in (c for c in node.named_children if c.type == "with_clause"):
            for item in (c for c in clause.named_children if c.type == "with_item"):
                value = self.field(item, "value")
                if value.type == "as_pattern":
                    target = self.field(value, "alias")
                    inner = self.expr(target.named_children[0]) if target.named_children else None
                    items.append((self.expr(value.named_children[0]), inner))
                else:
                    items.append((self.expr(value), None))
        return (n.With(self.span(node), tuple(items), self.block(node.child_by_field_name("body"))),)

    def match_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        cases = []
        body = self.field(node, "body")
        for clause in (c for c in body.named_children if c.type == "case_clause"):
            patterns: list[n.Expr] = []
            for pattern in (c for c in clause.named_children if c.type == "case_pattern"):
                inner = pattern.named_children[0] if pattern.named_children else None
                options = inner.named_children if inner is not None and inner.type == "union_pattern" else [inner]
                patterns.extend(self.expr(o) for o in options if o is not None)
            guard_clause = clause.child_by_field_name("guard")
            guard = self.expr(guard_clause.named_children[0]) if guard_clause is not None else None
            block = self.block(clause.child_by_field_name("consequence"))
            cases.append(n.Case(self.span(clause), tuple(patterns), guard, block))
        return (n.Switch(self.span(node), self.expr(self.field(node, "subject")), tuple(cases)),)

    def import_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        found: list[n.Stmt] = []
        span = self.span(node)
        for name in node.children_by_field_name("name"):
            if name.type == "aliased_import":
                module, alias = self.text(self.field(name, "name")), self.text(self.field(name, "alias"))
                found.append(n.Import(span, module, 0, None, alias))
            else:
                # `import a.b` binds `a`; the path below it is then reached by members.
                top = self.text(name).split(".")[0]
                found.append(n.Import(span, top, 0, None, top))
        return tuple(found)

    def from_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        source = self.text(self.field(node, "module_name"))
        level = len(source) - len(source.lstrip("."))
        module = source.lstrip(". ")
        if any(c.type == "wildcard_import" for c in node.named_children):
            return (n.Import(span, module, level, "*", "*"),)
        found: list[n.Stmt] = []
        for name in node.children_by_field_name("name"):
            if name.type == "aliased_import":
                alias = self.text(self.field(name, "alias"))
                found.append(n.Import(span, module, level, self.text(self.field(name, "name")), alias))
            else:
                found.append(n.Import(span, module, level, self.text(name), self.text(name)))
        return tuple(found)

    def decorated(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        marks = []
        for child in (c for c in node.named_children if c.type == "decorator"):
            value = self.expr(child.named_children[0])
            if isinstance(value, n.Call):
                marks.append(n.Mark(self.span(child), value.func, value.args))
            else:
                marks.append(n.Mark(self.span(child), value, None))
        inner = self.field(node, "definition")
        define = self.function if inner.type == "function_definition" else self.class_
        return define(inner, tuple(marks))

    def function(self, node: tree_sitter.Node, marks: tuple[n.Mark, ...] = ()) -> tuple[n.Stmt, ...]:
        name = self.text(self.field(node, "name"))
        params = self.params(node.child_by_field_name("parameters"))
        span, whole, damage = self.span(node), self.whole, self.damage
        lazy = n.Lazy(lambda: _body(whole, span, damage))
        return (n.Function(span, name, params, self.opt(node, "return_type"), marks, lazy),)

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

    def class_(self, node: tree_sitter.Node, marks: tuple[n.Mark, ...] = ()) -> tuple[n.Stmt, ...]:
        name = self.text(self.field(node, "name"))
        bases = node.child_by_field_name("superclasses")
        args = self.args(bases) if bases is not None else ()
        body = self.block(node.child_by_field_name("body"))
        return (n.Class(self.span(node), name, self.type_params(node), args, marks, body),)

    def type_params(self, node: tree_sitter.Node) -> tuple[str, ...]:
        params = node.child_by_field_name("type_parameters")
        if params is None:
            return ()
        return tuple(self.text(p).split(":")[0].strip() for p in params.named_children)

    def alias(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        left, right = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        params: tuple[str, ...] = ()
        if isinstance(left, n.Index):
            inner = left.index.items if isinstance(left.index, n.Items) else (left.index,)
            params = tuple(p.id for p in inner if isinstance(p, n.Name))
            left = left.value
        return (n.Alias(self.span(node), left.id, params, right),) if isinstance(left, n.Name) else ()

    def leave(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        kind: Any = node.type.removesuffix("_statement")
        return (n.Leave(self.span(node), kind, None),)

    def delete(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return tuple(n.Do(self.span(c), n.Unary(self.span(c), "del", self.expr(c))) for c in node.named_children)

    # --- expressions --------------------------------------------------------------------------------------------------

    def expr(self, node: tree_sitter.Node) -> n.Expr:
        handler = _EXPRESSIONS.get(node.type)
        if handler is None:
            return self.opaque(node)
        self.depth += 1
        if self.depth > MAX_DEPTH:
            self.depth -= 1
            self.damage.append(n.Damage(self.span(node).line, f"nested deeper than {MAX_DEPTH} levels"))
            return self.opaque(node)
        found = handler(self, node)
        self.depth -= 1
        return found

    def inner(self, node: tree_sitter.Node) -> n.Expr:
        named = [c for c in node.named_children if c.type != "comment"]
        return self.expr(named[0]) if named else self.opaque(node)

    def name(self, node: tree_sitter.Node) -> n.Expr:
        return n.Name(self.span(node), self.text(node))

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
                    parts.append(n.Literal(self.span(child), self.text(child)))
                elif child.type == "interpolation":
                    parts.append(self.expr(self.field(child, "expression")))
            return n.Template(self.span(node), tuple(parts))
        text = self.text(node)
        prefix = text[: len(text) - len(text.lstrip("fFbBrRuUtT"))]
        if "f" in prefix.lower() or "t" in prefix.lower():
            text = prefix.lower().replace("f", "").replace("t", "") + text[len(prefix) :]
        return self.constant(node, text)

    def constant(self, node: tree_sitter.Node, text: str) -> n.Expr:
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
        return n.Unary(self.span(node), "yield", self.inner(node)) if node.named_children else self.opaque(node)

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


_Handler = Callable[[_Lowering, tree_sitter.Node], tuple[n.Stmt, ...]]
_L = _Lowering

_STATEMENTS: dict[str, _Handler] = {
    "expression_statement": _L.do, "if_statement": _L.if_, "for_statement": _L.for_, "while_statement": _L.while_,
    "return_statement": _L.return_, "raise_statement": _L.raise_, "assert_statement": _L.assert_,
    "try_statement": _L.try_, "with_statement": _L.with_, "match_statement": _L.match_,
    "import_statement": _L.import_, "import_from_statement": _L.from_, "decorated_definition": _L.decorated,
    "function_definition": _L.function, "class_definition": _L.class_, "type_alias_statement": _L.alias,
    "break_statement": _L.leave, "continue_statement": _L.leave, "delete_statement": _L.delete,
}  # fmt: skip

_EXPRESSIONS: dict[str, Callable[[_Lowering, tree_sitter.Node], n.Expr]] = {
    "identifier": _L.name, "dotted_name": _L.dotted_name, "attribute": _L.member, "member_type": _L.member,
    "subscript": _L.subscript, "generic_type": _L.generic, "call": _L.call, "string": _L.string,
    "concatenated_string": _L.strings, "integer": _L.literal, "float": _L.literal, "true": _L.word, "false": _L.word,
    "none": _L.word, "list": _L.items, "tuple": _L.items, "set": _L.items, "expression_list": _L.items,
    "pattern_list": _L.items, "tuple_pattern": _L.items, "list_pattern": _L.items, "dictionary": _L.entries,
    "unary_operator": _L.unary, "not_operator": _L.unary, "binary_operator": _L.binary,
    "boolean_operator": _L.binary, "comparison_operator": _L.comparison, "union_type": _L.union,
    "conditional_expression": _L.choice, "lambda": _L.lambda_, "named_expression": _L.bind,
    "list_comprehension": _L.comprehension, "set_comprehension": _L.comprehension,
    "dictionary_comprehension": _L.comprehension, "generator_expression": _L.comprehension,
    "parenthesized_expression": _L.inner, "type": _L.inner, "await": _L.inner, "yield": _L.yield_,
    "case_pattern": _L.inner, "list_splat": _L.spread, "list_splat_pattern": _L.spread, "as_pattern": _L.inner,
}  # fmt: skip

front_end = n.FrontEnd("python", (".py", ".pyi"), parse, expression)
