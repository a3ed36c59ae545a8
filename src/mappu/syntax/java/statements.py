"""Java's statements and declarations lowered to the neutral tree."""

import tree_sitter

from mappu.syntax import nodes as n
from mappu.syntax.java.expressions import Expressions, parser

_AROUND = b"class A{A()"


def _block(whole: bytes, first: n.Span, damage: list[n.Damage], constructor: bool = False) -> tuple[n.Stmt, ...]:
    """Lower the block that stands there. It is parsed again by itself: holding on to the whole file's tree until somebody asks
    for a body would cost far more memory than most bodies, never asked for, are worth."""
    part = whole[first.start : first.end]
    start = first
    if constructor:
        # Only inside a class does `super(…)` parse.
        part = _AROUND + part + b"}"
        start = n.Span(first.line, first.start - len(_AROUND), first.end)
    lowering = Statements(part, whole=whole, start=start, damage=damage)
    node: tree_sitter.Node | None = parser().parse(part).root_node
    while constructor and node is not None and node.type != "constructor_body":
        node = node.child_by_field_name("body") or next(iter(node.named_children), None)
    return lowering.block(node)


class Statements(Expressions):
    """Lowers the statements of one file, or of a part of it."""

    blocks = frozenset({"ERROR", "block", "constructor_body", "program"})

    # --- declarations -------------------------------------------------------------------------------------------------

    def package(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """A file sees what lies in its own package."""
        name = next((self.text(c) for c in node.named_children if "identifier" in c.type), "")
        return (n.Import(self.span(node), name, 0, "*", "*"),)

    def import_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        name = next((self.text(c) for c in node.named_children if "identifier" in c.type), "")
        if any(c.type == "asterisk" for c in node.named_children):
            return (n.Import(span, name, 0, "*", "*"),)
        module, _, last = name.rpartition(".")
        return (n.Import(span, module, 0, last, last),)

    def class_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        name = self.text(self.field(node, "name"))
        bases = [
            n.Arg(self.expr(c))
            for holder in node.named_children
            if holder.type in ("superclass", "super_interfaces", "extends_interfaces")
            for c in (holder.named_children if holder.type == "superclass" else holder.named_children[0].named_children)
        ]
        body = node.child_by_field_name("body")
        # Its members are lowered at once, their bodies later: a class is asked for what it holds as soon as it is met.
        inside = (*self.components(node), *self.members(body))
        marks, form = self.marks(node), "interface" if "interface" in node.type else "class"
        if node.type == "record_declaration":
            marks = (*marks, n.Mark(self.span(node), n.Name(self.span(node), "record"), None, "attribute"))
        lazy = n.Lazy(lambda: inside)
        return (n.Class(self.span(node), name, self.type_params(node), tuple(bases), marks, lazy, form=form),)  # type: ignore[arg-type]

    def components(self, node: tree_sitter.Node) -> tuple[n.Variable, ...]:
        """What a record is made of."""
        if node.type != "record_declaration":
            return ()
        params = self.params(node.child_by_field_name("parameters"))
        return tuple(n.Variable(p.span, p.name, p.type, None, p.marks) for p in params)

    def members(self, body: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        found: list[n.Stmt] = []
        for child in body.named_children if body is not None else ():
            if child.type in ("enum_body_declarations", "ERROR"):
                found.extend(self.members(child))
            else:
                found.extend(self.statement(child))
        return tuple(found)

    def type_params(self, node: tree_sitter.Node) -> tuple[str, ...]:
        params = node.child_by_field_name("type_parameters")
        names = [c.named_children[0] for c in params.named_children if c.named_children] if params is not None else []
        return tuple(self.text(c) for c in names)

    def field_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """A field, a local variable, an element of an annotation type."""
        type_, marks = self.opt(node, "type"), self.marks(node)
        if isinstance(type_, n.Name) and type_.id in ("var", "val"):
            type_ = None
        found = []
        declared = node.children_by_field_name("declarator") or [node]
        for each in declared:
            value = self.opt(each, "value")
            span = self.span(node if len(declared) == 1 else each)
            found.append(n.Variable(span, self.text(self.field(each, "name")), type_, value, marks))
        return tuple(found)

    def enum(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        members: list[n.Stmt] = []
        body = self.field(node, "body")
        for child in body.named_children:
            if child.type == "enum_constant":
                name = self.text(self.field(child, "name"))
                members.append(
                    n.Variable(self.span(child), name, None, n.Literal(self.span(child), name), self.marks(child))
                )
        inside = tuple(members)
        marks = self.marks(node)
        name = self.text(self.field(node, "name"))
        return (n.Class(self.span(node), name, (), (), marks, n.Lazy(lambda: inside), form="enum"),)

    def method(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        named, marks = self.field(node, "name"), self.marks(node)
        constructor = node.type.endswith("constructor_declaration")
        body = node.child_by_field_name("body")
        params = self.params(node.child_by_field_name("parameters"))
        span, whole, damage = self.span(body) if body is not None else None, self.whole, self.damage
        if span is None:
            marks = (*marks, n.Mark(self.span(node), n.Name(self.span(node), "abstract"), None, "attribute"))
            lazy = n.Lazy(lambda: ())
        else:
            special = node.type == "constructor_declaration"
            lazy = n.Lazy(lambda: _block(whole, span, damage, special))
        name = "constructor" if constructor else self.text(named)
        return (n.Function(self.span(node), name, params, self.opt(node, "type"), marks, lazy),)

    # --- statements ---------------------------------------------------------------------------------------------------

    def do(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        inner = next((c for c in node.named_children if "comment" not in c.type), None)
        if inner is None:
            return ()
        span = self.span(node)
        if inner.type == "assignment_expression":
            target, value = self.expr(self.field(inner, "left")), self.expr(self.field(inner, "right"))
            op = self.text(self.field(inner, "operator"))[:-1] or None
            return (n.Assign(span, (target,), value, op),)
        if inner.type == "update_expression":
            return (n.Assign(span, (self.inner(inner),), n.Literal(span, 1), "+"),)
        if inner.type == "switch_expression":
            return self.switch_(inner)
        return (n.Do(span, self.expr(inner)),)

    def super_call(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        func = n.Name(span, self.text(self.field(node, "constructor")))
        return (n.Do(span, n.Call(span, func, self.args(self.field(node, "arguments")))),)

    def if_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        test = self.expr(self.field(node, "condition"))
        return (n.If(self.span(node), test, self.arm(node, "consequence"), self.arm(node, "alternative")),)

    def arm(self, node: tree_sitter.Node, name: str) -> tuple[n.Stmt, ...]:
        found = node.child_by_field_name(name)
        return self.statement(found) if found is not None else ()

    def for_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        if node.type == "enhanced_for_statement":
            target = self.name(self.field(node, "name"))
            over = self.expr(self.field(node, "value"))
            return (n.Loop(span, target, over, None, self.arm(node, "body")),)
        before = [s for c in node.children_by_field_name("init") for s in self.statement(c)]
        return (*before, n.Loop(span, None, None, self.opt(node, "condition"), self.arm(node, "body")))

    def while_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (n.Loop(self.span(node), None, None, self.opt(node, "condition"), self.arm(node, "body")),)

    def leave(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        inner = next((c for c in node.named_children if "comment" not in c.type), None)
        word = node.type.removesuffix("_statement")
        if word in ("break", "continue"):
            return (n.Leave(self.span(node), "break" if word == "break" else "continue", None),)
        value = self.expr(inner) if inner is not None else None
        return (n.Leave(self.span(node), "raise" if word == "throw" else "return", value),)

    def assert_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        # Off unless the service is started with assertions on.
        return ()

    def try_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        catches: list[n.Catch] = []
        final: tuple[n.Stmt, ...] = ()
        for clause in node.named_children:
            if clause.type == "catch_clause":
                catches.append(self.catch(clause))
            elif clause.type == "finally_clause":
                final = self.block(clause.named_children[0] if clause.named_children else None)
        opened = [c for r in node.named_children if r.type == "resource_specification" for c in r.named_children]
        body: tuple[n.Stmt, ...] = self.block(node.child_by_field_name("body"))
        made = [s for c in opened if c.child_by_field_name("value") is not None for s in self.field_(c)]
        if not catches and not final:
            return (*made, *body)
        return (n.Try(self.span(node), (*made, *body), tuple(catches), (), final),)

    def catch(self, clause: tree_sitter.Node) -> n.Catch:
        param = next((c for c in clause.named_children if c.type == "catch_formal_parameter"), None)
        types: tuple[n.Expr, ...] = ()
        name = None
        if param is not None:
            listed = next((c for c in param.named_children if c.type == "catch_type"), None)
            types = tuple(self.expr(c) for c in listed.named_children) if listed is not None else ()
            name = self.text(self.field(param, "name"))
        return n.Catch(self.span(clause), types, name, self.block(clause.child_by_field_name("body")))

    def switch_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        cases: list[n.Case] = []
        waiting: list[n.Expr] = []
        for group in self.field(node, "body").named_children:
            labels = [c for c in group.named_children if c.type == "switch_label"]
            patterns = [self.expr(c) for label in labels for c in label.named_children if c.type != "guard"]
            rest = [c for c in group.named_children if c.type != "switch_label"]
            if not rest:
                # `case "a": case "b":` share what comes next.
                waiting.extend(patterns)
                continue
            body = tuple(s for c in rest for s in self.statement(c))
            cases.append(n.Case(self.span(group), (*waiting, *patterns), None, body))
            waiting = []
        return (n.Switch(self.span(node), self.inner(self.field(node, "condition")), tuple(cases)),)

    def inside(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """A block under a lock or a label."""
        return self.statement(node.named_children[-1]) if node.named_children else ()


_S = Statements
Statements.statements = {
    "package_declaration": _S.package, "import_declaration": _S.import_, "class_declaration": _S.class_,
    "record_declaration": _S.class_, "interface_declaration": _S.class_, "annotation_type_declaration": _S.class_,
    "enum_declaration": _S.enum, "field_declaration": _S.field_, "local_variable_declaration": _S.field_,
    "constant_declaration": _S.field_, "annotation_type_element_declaration": _S.field_,
    "method_declaration": _S.method, "constructor_declaration": _S.method,
    "compact_constructor_declaration": _S.method, "expression_statement": _S.do,
    "explicit_constructor_invocation": _S.super_call, "if_statement": _S.if_, "for_statement": _S.for_,
    "enhanced_for_statement": _S.for_, "while_statement": _S.while_, "do_statement": _S.while_,
    "return_statement": _S.leave, "throw_statement": _S.leave, "break_statement": _S.leave,
    "continue_statement": _S.leave, "yield_statement": _S.leave, "assert_statement": _S.assert_,
    "try_statement": _S.try_, "try_with_resources_statement": _S.try_, "switch_expression": _S.switch_,
    "synchronized_statement": _S.inside, "labeled_statement": _S.inside,
}  # fmt: skip
