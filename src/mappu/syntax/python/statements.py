"""Python's statements lowered to the neutral tree."""

from functools import cache
from typing import Any

import tree_sitter
import tree_sitter_python

from mappu.syntax import nodes as n
from mappu.syntax.python.expressions import Expressions


@cache
def parser() -> tree_sitter.Parser:
    return tree_sitter.Parser(tree_sitter.Language(tree_sitter_python.language()))


def _body(whole: bytes, first: n.Span, damage: list[n.Damage]) -> tuple[n.Stmt, ...]:
    """Lower the body of the function or class that stands there. It is parsed again by itself: holding on to the whole file's
    tree until somebody asks for a body would cost far more memory than most bodies, never asked for, are worth."""
    part = whole[first.start : first.end]
    lowering = Statements(part, whole=whole, start=first, damage=damage)
    node: tree_sitter.Node | None = parser().parse(part).root_node
    while node is not None and node.type not in ("function_definition", "class_definition"):
        # In damaged source it may lie inside the damage. What does not begin where it began is something else.
        node = next((c for c in node.named_children if c.start_byte == 0), None)
    return lowering.block(node.child_by_field_name("body")) if node is not None else ()


class Statements(Expressions):
    """Lowers the statements of one file, or of a part of it."""

    blocks = frozenset({"ERROR", "block"})

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
        returns = self.opt(node, "return_type")
        return (n.Function(self.span(node), name, params, returns, marks, self.later(node)),)

    def later(self, node: tree_sitter.Node) -> n.Lazy:
        """The body of a function or class, to be lowered when it is asked for."""
        span, whole, damage = self.span(node), self.whole, self.damage
        return n.Lazy(lambda: _body(whole, span, damage))

    def class_(self, node: tree_sitter.Node, marks: tuple[n.Mark, ...] = ()) -> tuple[n.Stmt, ...]:
        name = self.text(self.field(node, "name"))
        bases = node.child_by_field_name("superclasses")
        args = self.args(bases) if bases is not None else ()
        return (n.Class(self.span(node), name, self.type_params(node), args, marks, self.later(node)),)

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


_S = Statements

Statements.statements = {
    "expression_statement": _S.do, "if_statement": _S.if_, "for_statement": _S.for_, "while_statement": _S.while_,
    "return_statement": _S.return_, "raise_statement": _S.raise_, "assert_statement": _S.assert_,
    "try_statement": _S.try_, "with_statement": _S.with_, "match_statement": _S.match_,
    "import_statement": _S.import_, "import_from_statement": _S.from_, "decorated_definition": _S.decorated,
    "function_definition": _S.function, "class_definition": _S.class_, "type_alias_statement": _S.alias,
    "break_statement": _S.leave, "continue_statement": _S.leave, "delete_statement": _S.delete,
}  # fmt: skip
