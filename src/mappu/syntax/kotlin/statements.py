"""Kotlin's statements and declarations lowered to the neutral tree."""

import msgspec
import tree_sitter

from mappu.syntax import nodes as n
from mappu.syntax.kotlin.expressions import Expressions

_FORMS = ("class_modifier", "inheritance_modifier", "visibility_modifier", "property_modifier")


class Statements(Expressions):
    """Lowers the statements of one file."""

    blocks = frozenset({"ERROR", "block", "source_file", "statements"})

    def block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        """The grammar takes the annotations in front of a class for an expression of their own: they are handed on to it."""
        if node is None:
            return ()
        self.depth += 1
        found: list[n.Stmt] = []
        waiting: tuple[n.Mark, ...] = ()
        for child in node.named_children if self.depth <= 100 else ():
            if child.type == "annotated_expression":
                waiting = (*waiting, *self.floating(child))
                continue
            made = self.statement(child)
            if waiting and made and isinstance(made[0], n.Class | n.Function):
                first = made[0]
                marks = (*waiting, *first.marks)
                if isinstance(first, n.Class):
                    handed: n.Stmt = n.Class(
                        first.span, first.name, first.type_params, first.bases, marks, first.lazy, first.form
                    )
                else:
                    handed = n.Function(
                        first.span, first.name, first.params, first.returns, marks, first.lazy, first.is_async
                    )
                made = (handed, *made[1:])
            if child.type not in ("line_comment", "block_comment"):
                waiting = ()
            found.extend(made)
        self.depth -= 1
        return tuple(found)

    def floating(self, node: tree_sitter.Node) -> list[n.Mark]:
        listed = [c for c in node.named_children if c.type == "annotation"]
        rest = next((c for c in node.named_children if c.type != "annotation"), None)
        args = rest if rest is not None and rest.type == "parenthesized_expression" else None
        marks = [self.mark(a, args if a is listed[-1] else None) for a in listed]
        return [*marks, *(self.floating(rest) if rest is not None and rest.type == "annotated_expression" else ())]

    # --- declarations -------------------------------------------------------------------------------------------------

    def package(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (n.Import(self.span(node), self.text(node.named_children[0]), 0, "*", "*"),)

    def import_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        name, span = self.text(parts[0]), self.span(node)
        if self.text(node).rstrip().endswith("*"):
            return (n.Import(span, name, 0, "*", "*"),)
        module, _, last = name.rpartition(".")
        alias = self.text(parts[-1]) if len(parts) > 1 else last
        return (n.Import(span, module, 0, last, alias),)

    def class_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        named = node.child_by_field_name("name")
        name = self.text(named) if named is not None else "Companion"
        words = self.words(node)
        marks = (*(self.mark(a) for a in self.annotations(node)), *self.told(node, words & {"abstract", "data"}))
        body = next((c for c in node.named_children if c.type in ("class_body", "enum_class_body")), None)
        if "enum" in words:
            entries = tuple(
                self.entry(c) for c in (body.named_children if body is not None else ()) if c.type == "enum_entry"
            )
            return (n.Class(self.span(node), name, (), (), marks, n.Lazy(lambda: entries), form="enum"),)
        listed = next((c for c in node.named_children if c.type == "delegation_specifiers"), None)
        bases = tuple(n.Arg(self.base(c)) for c in (self.parts(listed) if listed is not None else ()))
        inside = (*self.components(node), *self.members(body))
        form = "interface" if any(c.type == "interface" for c in node.children) else "class"
        params = next((c for c in node.named_children if c.type == "type_parameters"), None)
        type_params = tuple(self.text(self.parts(c)[0]) for c in self.parts(params)) if params is not None else ()
        return (n.Class(self.span(node), name, type_params, bases, marks, n.Lazy(lambda: inside), form=form),)  # type: ignore[arg-type]

    def words(self, node: tree_sitter.Node) -> set[str]:
        holders = [c for c in node.named_children if c.type == "modifiers"]
        return {self.text(m) for h in holders for m in h.named_children if m.type in _FORMS}

    def told(self, node: tree_sitter.Node, words: set[str]) -> tuple[n.Mark, ...]:
        span = self.span(node)
        return tuple(n.Mark(span, n.Name(span, w), None, "attribute") for w in sorted(words))

    def entry(self, node: tree_sitter.Node) -> n.Variable:
        name = self.text(self.parts(node)[0])
        return n.Variable(self.span(node), name, None, n.Literal(self.span(node), name))

    def base(self, node: tree_sitter.Node) -> n.Expr:
        inner = self.parts(node)[0] if node.type == "delegation_specifier" and self.parts(node) else node
        if inner.type == "constructor_invocation":
            inner = self.parts(inner)[0]
        return self.expr(inner)

    def components(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """The properties that the primary constructor declares, and the constructor."""
        made = next((c for c in node.named_children if c.type == "primary_constructor"), None)
        listed = (
            next((c for c in made.named_children if c.type == "class_parameters"), None) if made is not None else None
        )
        if made is None or listed is None:
            return ()
        found: list[n.Stmt] = []
        params: list[n.Param] = []
        for child in self.parts(listed):
            parts = [c for c in self.parts(child) if c.type != "modifiers"]
            if len(parts) < 2:
                continue
            name, type_ = self.text(parts[0]), self.expr(parts[1])
            value = self.expr(parts[2]) if len(parts) > 2 else None
            kept = any(c.type in ("val", "var") for c in child.children)
            marks = tuple(self.mark(a) for a in self.annotations(child))
            params.append(n.Param(self.span(child), name, type_, value, marks))
            if kept:
                # Without a site of its own an annotation lands on the constructor's parameter.
                placed = tuple(m if m.site else n.Mark(m.span, m.name, m.args, m.form, "param") for m in marks)
                found.append(n.Variable(self.span(child), name, type_, value, placed))
        found.append(n.Function(self.span(made), "constructor", tuple(params), None, (), n.Lazy(lambda: ())))
        return tuple(found)

    def members(self, body: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        found: list[n.Stmt] = []
        for child in body.named_children if body is not None else ():
            if child.type == "companion_object":
                inner = next((c for c in child.named_children if c.type == "class_body"), None)
                for made in self.members(inner):
                    if isinstance(made, n.Variable):
                        made = n.Variable(
                            made.span, made.name, made.type, made.value, (*made.marks, *self.told(child, {"static"}))
                        )
                    found.append(made)
            else:
                found.extend(self.statement(child))
        return tuple(found)

    def property(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        declared = next((c for c in node.named_children if c.type == "variable_declaration"), None)
        if declared is None:
            return ()
        parts = self.parts(declared)
        rest = [
            c
            for c in self.parts(node)
            if c.type not in ("modifiers", "variable_declaration", "getter", "setter", "type_parameters")
        ]
        value = self.expr(rest[0]) if rest else None
        marks = tuple(self.mark(a) for a in self.annotations(node))
        type_ = self.expr(parts[1]) if len(parts) > 1 else None
        before = self.unless(rest[0]) if rest else ()
        return (n.Variable(self.span(node), self.text(parts[0]), type_, value, marks), *before)

    def unless(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """`x ?: throw …`: it leaves where there is nothing."""
        right = node.child_by_field_name("right") if node.type == "binary_expression" else None
        left = node.child_by_field_name("left") if right is not None else None
        if right is None or left is None or right.type not in ("return_expression", "throw_expression"):
            return ()
        span = self.span(node)
        return (n.If(span, n.Binary(span, "==", self.expr(left), n.Literal(span, None)), self.statement(right), ()),)

    def function(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        listed = next((c for c in node.named_children if c.type == "function_value_parameters"), None)
        params: list[n.Param] = []
        marks: tuple[n.Mark, ...] = ()
        for child in self.parts(listed) if listed is not None else ():
            if child.type == "parameter_modifiers":
                marks = tuple(self.mark(a) for a in self.annotations(child))
                continue
            if child.type != "parameter":
                # What stands behind a parameter is its default.
                params[-1:] = [msgspec.structs.replace(p, default=self.expr(child)) for p in params[-1:]]
                continue
            parts = self.parts(child)
            params.append(n.Param(self.span(child), self.text(parts[0]), self.expr(parts[1]) if len(parts) > 1 else None,
                                  None, marks))  # fmt: skip
            marks = ()
        body = next((c for c in node.named_children if c.type == "function_body"), None)
        own = tuple(self.mark(a) for a in self.annotations(node))
        returns = next((self.expr(c) for c in node.named_children if c.type in ("user_type", "nullable_type")), None)
        if body is None:
            own = (*own, *self.told(node, {"abstract"}))
        inside = self.body(body)
        lazy = n.Lazy(lambda: inside)
        return (n.Function(self.span(node), self.text(self.field(node, "name")), tuple(params), returns, own, lazy),)

    def body(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        parts = self.parts(node) if node is not None else []
        if not parts:
            return ()
        if parts[0].type == "block":
            return self.block(parts[0])
        made = self.statement(parts[0])
        if len(made) == 1 and isinstance(made[0], n.Do):
            return (n.Leave(made[0].span, "return", made[0].value),)
        return made

    # --- statements ---------------------------------------------------------------------------------------------------

    def do(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (*self.unless(node), n.Do(self.span(node), self.expr(node)))

    def assign(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        sign = self.source[parts[0].end_byte : parts[-1].start_byte].decode("utf-8", "replace").strip()
        return (n.Assign(self.span(node), (self.expr(parts[0]),), self.expr(parts[-1]), sign[:-1] or None),)

    def if_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        arms = [self.arm(p) for p in parts[1:3]]
        return (n.If(self.span(node), self.expr(parts[0]), arms[0] if arms else (), arms[1] if len(arms) > 1 else ()),)

    def arm(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.block(node) if node.type == "block" else self.statement(node)

    def for_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        return (n.Loop(self.span(node), self.inner(parts[0]), self.expr(parts[1]), None, self.arm(parts[-1])),)

    def while_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        return (n.Loop(self.span(node), None, None, self.expr(parts[0]), self.arm(parts[-1])),)

    def leave(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        parts = self.parts(node)
        kind = "raise" if node.type == "throw_expression" else "return"
        value = self.expr(parts[-1]) if parts else None
        return (n.Leave(self.span(node), kind, value),)  # type: ignore[arg-type]

    def try_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        catches: list[n.Catch] = []
        final: tuple[n.Stmt, ...] = ()
        for clause in node.named_children:
            parts = self.parts(clause)
            if clause.type == "catch_block" and len(parts) > 2:
                catches.append(
                    n.Catch(self.span(clause), (self.expr(parts[1]),), self.text(parts[0]), self.block(parts[-1]))
                )
            elif clause.type == "finally_block":
                final = self.block(parts[-1])
        body = next((c for c in node.named_children if c.type == "block"), None)
        return (n.Try(self.span(node), self.block(body), tuple(catches), (), final),)

    def when(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        subject = next((c for c in node.named_children if c.type == "when_subject"), None)
        cases: list[n.Case] = []
        for entry in (c for c in node.named_children if c.type == "when_entry"):
            patterns = tuple(self.expr(c) for c in entry.children_by_field_name("condition"))
            cases.append(n.Case(self.span(entry), patterns, None, self.arm(self.parts(entry)[-1])))
        if subject is not None:
            return (n.Switch(self.span(node), self.inner(subject), tuple(cases)),)
        other: tuple[n.Stmt, ...] = ()
        for case in reversed(cases):
            other = (n.If(case.span, case.patterns[0], case.body, other),) if case.patterns else case.body
        return other


_S = Statements
Statements.statements = {
    "package_header": _S.package, "import": _S.import_, "class_declaration": _S.class_, "object_declaration": _S.class_,
    "property_declaration": _S.property, "function_declaration": _S.function, "assignment": _S.assign, "if_expression": _S.if_,
    "for_statement": _S.for_, "while_statement": _S.while_, "do_while_statement": _S.while_, "return_expression": _S.leave,
    "throw_expression": _S.leave, "try_expression": _S.try_, "when_expression": _S.when, "call_expression": _S.do,
    "navigation_expression": _S.do, "binary_expression": _S.do, "identifier": _S.do, "string_literal": _S.do,
    "number_literal": _S.do, "lambda_literal": _S.do, "postfix_expression": _S.do, "unary_expression": _S.do,
}  # fmt: skip
