"""JavaScript's and TypeScript's statements lowered to the neutral tree."""

from functools import cache
from typing import Any

import tree_sitter
import tree_sitter_typescript

from mappu.syntax import nodes as n
from mappu.syntax.javascript.expressions import FUNCTIONS, Expressions
from mappu.syntax.walk import dotted

_CLASSES = frozenset({"class_declaration", "abstract_class_declaration", "class"})


@cache
def parser(typed: bool) -> tree_sitter.Parser:
    """The parser for `.ts` files, whose `<T>x` is a cast, or for all others, where it is an element."""
    make = tree_sitter_typescript.language_typescript if typed else tree_sitter_typescript.language_tsx
    return tree_sitter.Parser(tree_sitter.Language(make()))


class Statements(Expressions):
    """Lowers the statements of one file, or of a part of it."""

    blocks = frozenset({"ERROR", "statement_block", "ambient_declaration", "internal_module", "module", "program"})

    def whole_block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        """A file's or a function's statements, with what their expressions declare in front."""
        body = self.block(node)
        return (*self.hoisted, *body)

    # --- declarations -------------------------------------------------------------------------------------------------

    def declared(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        found: list[n.Stmt] = []
        for child in node.named_children:
            if child.type == "variable_declarator":
                found.extend(self.declarator(child, node))
        return tuple(found)

    def declarator(self, node: tree_sitter.Node, around: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        target, value = self.field(node, "name"), node.child_by_field_name("value")
        at = around if len(around.named_children) == 1 else node
        span = self.span(at)
        if value is None:
            return (n.Variable(span, self.text(target), self.opt(node, "type"), None),)
        if target.type == "identifier":
            name = self.text(target)
            if value.type in FUNCTIONS:
                # A name given to a function once is that function's.
                return (self.make_function(value, name, at=at),)
            if value.type in _CLASSES:
                return (self.make_class(value, name),)
            made = self.expr(value)
            if isinstance(made, n.Name) and made.id.startswith("require("):
                return (n.Import(span, made.id[8:-1], 0, None, name),)
            if isinstance(made, n.Member) and isinstance(made.value, n.Name) and made.value.id.startswith("require("):
                return (n.Import(span, made.value.id[8:-1], 0, made.name, name),)
            return (n.Variable(span, name, self.opt(node, "type") or self.asserted(value), made),)
        taken, made = self.expr(target), self.expr(value)
        if isinstance(made, n.Name) and made.id.startswith("require(") and isinstance(taken, n.Entries):
            return tuple(
                n.Import(span, made.id[8:-1], 0, str(key.value), name.id)
                for key, name in taken.entries
                if isinstance(key, n.Literal) and isinstance(name, n.Name)
            )
        return (n.Assign(span, (taken,), made),)

    def asserted(self, value: tree_sitter.Node) -> n.Expr | None:
        """The type in `value as T`: what the code takes the value for."""
        if value.type != "as_expression" or len(value.named_children) < 2:
            return None
        type_ = self.expr(value.named_children[-1])
        return None if isinstance(type_, n.Name) and type_.id in ("any", "unknown", "const") else type_

    def function_declaration(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (self.make_function(node, self.text(self.field(node, "name"))),)

    def body_of(self, node: tree_sitter.Node | None, before: tuple[n.Stmt, ...]) -> n.Lazy:
        """A function's body, lowered when it is asked for: it is parsed again by itself then, as holding on to the whole
        file's tree would cost far more memory than most bodies, never asked for, are worth."""
        if node is None:
            return n.Lazy(lambda: before)
        span, whole, damage, typed = self.span(node), self.whole, self.damage, self.typed
        is_block = node.type == "statement_block"
        if self.source is not self.whole:
            # Inside a body that was parsed again, its own tree serves.
            part_source, part_start = self.source, self.start

            def lower_part() -> tuple[n.Stmt, ...]:
                lowering = Statements(part_source, whole=whole, start=part_start, damage=damage, typed=typed)
                if is_block:
                    return (*before, *lowering.whole_block(node))
                value = lowering.expr(node)
                return (*before, *lowering.hoisted, n.Leave(span, "return", value))

            return n.Lazy(lower_part)

        def lower() -> tuple[n.Stmt, ...]:
            # An expression is read in brackets: `{` begins an object there, not a block.
            part = whole[span.start : span.end] if is_block else b"(" + whole[span.start : span.end] + b")"
            start = span if is_block else n.Span(span.line, span.start - 1, span.end)
            lowering = Statements(part, whole=whole, start=start, damage=damage, typed=typed)
            root = parser(typed).parse(part).root_node
            if is_block:
                return (*before, *lowering.whole_block(root))
            first = next((c for c in root.named_children if c.type == "expression_statement"), root)
            value = lowering.inner(first)
            return (*before, *lowering.hoisted, n.Leave(span, "return", value))

        return n.Lazy(lower)

    def class_declaration(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (self.make_class(node, self.text(self.field(node, "name"))),)

    def make_class(self, node: tree_sitter.Node, name: str, marks: tuple[n.Mark, ...] = ()) -> n.Class:
        own = tuple(self.mark(c) for c in node.named_children if c.type == "decorator")
        bases: list[n.Arg] = []
        heritage = next((c for c in node.named_children if c.type == "class_heritage"), None)
        for clause in heritage.named_children if heritage is not None else ():
            if clause.type == "extends_clause":
                bases.append(n.Arg(self.expr(self.field(clause, "value"))))
            elif clause.type == "implements_clause":
                bases.extend(n.Arg(self.expr(c), "implements") for c in clause.named_children)
            else:
                bases.append(n.Arg(self.expr(clause)))
        body = node.child_by_field_name("body")
        # Its members are lowered at once, their bodies later: a class is asked for what it holds as soon as it is met.
        held, self.hoisted = self.hoisted, []
        inside = self.members(body)
        inside, self.hoisted = (*self.hoisted, *inside), held
        lazy = n.Lazy(lambda: inside)
        return n.Class(self.span(node), name, self.type_params(node), tuple(bases), (*marks, *own), lazy)

    def members(self, body: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        found: list[n.Stmt] = []
        marks: tuple[n.Mark, ...] = ()
        for child in body.named_children if body is not None else ():
            if child.type == "decorator":
                marks = (*marks, self.mark(child))
                continue
            found.extend(self.class_member(child, marks))
            if child.type != "comment":
                marks = ()
        return tuple(found)

    def class_member(self, node: tree_sitter.Node, marks: tuple[n.Mark, ...]) -> tuple[n.Stmt, ...]:
        named = node.child_by_field_name("name")
        key = self.key(named) if named is not None else None
        if not isinstance(key, n.Literal):
            return ()
        name = str(key.value)
        own = (*marks, *(self.mark(c) for c in node.named_children if c.type == "decorator"))
        if any(c.type == "static" for c in node.children):
            own = (*own, n.Mark(self.span(node), n.Name(self.span(node), "static"), None))
        if node.type == "method_definition":
            function = self.make_function(node, name, own)
            if name == "constructor":
                return (*self.parameter_properties(node), function)
            return (function,)
        if node.type == "public_field_definition":
            value = node.child_by_field_name("value")
            if value is not None and value.type in FUNCTIONS:
                return (self.make_function(value, name, own, at=node),)
            type_ = self.optional(node, self.opt(node, "type"))
            return (n.Variable(self.span(node), name, type_, self.expr(value) if value is not None else None, own),)
        return ()

    def parameter_properties(self, node: tree_sitter.Node) -> list[n.Variable]:
        """`constructor(private readonly repo: Repo)`: each such parameter is a member as well."""
        listed = node.child_by_field_name("parameters")
        found = []
        for child in listed.named_children if listed is not None else ():
            kept = any(c.type in ("accessibility_modifier", "readonly", "override_modifier") for c in child.children)
            pattern = child.child_by_field_name("pattern")
            if kept and pattern is not None:
                marks = tuple(self.mark(c) for c in child.named_children if c.type == "decorator")
                found.append(n.Variable(self.span(child), self.text(pattern), self.opt(child, "type"), None, marks))
        return found

    def interface(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        clause = next((c for c in node.named_children if c.type == "extends_type_clause"), None)
        bases = tuple(n.Arg(self.expr(c)) for c in clause.named_children) if clause is not None else ()
        name = self.text(self.field(node, "name"))
        return (self.make_interface(node, name, node.child_by_field_name("body"), bases),)

    def alias(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        name, value = self.text(self.field(node, "name")), self.field(node, "value")
        if value.type == "object_type":
            return (self.make_interface(node, name, value, ()),)
        return (n.Alias(self.span(node), name, self.type_params(node), self.expr(value)),)

    def enum(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        members: list[n.Stmt] = []
        number: int | None = 0
        for child in self.field(node, "body").named_children:
            if child.type == "comment":
                continue
            named = child.child_by_field_name("name") or child
            value = self.opt(child, "value")
            if value is None:
                value = n.Literal(self.span(child), number) if number is not None else self.opaque(child)
            given = value.value if isinstance(value, n.Literal) else None
            number = given + 1 if isinstance(given, int) else None
            key = self.key(named)
            members.append(n.Variable(self.span(child), str(getattr(key, "value", "")), None, value))
        inside = tuple(members)
        name = self.text(self.field(node, "name"))
        return (n.Class(self.span(node), name, (), (), (), n.Lazy(lambda: inside), form="enum"),)

    # --- modules ------------------------------------------------------------------------------------------------------

    def import_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        required = next((c for c in node.named_children if c.type == "import_require_clause"), None)
        if required is not None:
            module = self.string_value(self.field(required, "source"))
            return (n.Import(span, module, 0, None, self.text(required.named_children[0])),)
        source = node.child_by_field_name("source")
        clause = next((c for c in node.named_children if c.type == "import_clause"), None)
        if source is None:
            return ()
        module = self.string_value(source)
        # What is imported as a type only is gone when the program runs.
        only_type = any(c.type == "type" for c in node.children)
        found: list[n.Stmt] = []
        for child in clause.named_children if clause is not None else ():
            if child.type == "identifier":
                found.append(n.Import(span, module, 0, "default", self.text(child), only_type))
            elif child.type == "namespace_import":
                found.append(n.Import(span, module, 0, None, self.text(child.named_children[0]), only_type))
            elif child.type == "named_imports":
                for each in (c for c in child.named_children if c.type == "import_specifier"):
                    name = self.text(self.field(each, "name"))
                    alias = each.child_by_field_name("alias")
                    as_type = only_type or any(c.type == "type" for c in each.children)
                    found.append(n.Import(span, module, 0, name, self.text(alias) if alias else name, as_type))
        return tuple(found)

    def export(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        marks = tuple(self.mark(c) for c in node.named_children if c.type == "decorator")
        is_default = any(c.type == "default" for c in node.children)
        declaration = node.child_by_field_name("declaration")
        if declaration is not None:
            if declaration.type in _CLASSES:
                name = declaration.child_by_field_name("name")
                made: tuple[n.Stmt, ...] = (
                    self.make_class(declaration, self.text(name) if name is not None else "default", marks),
                )
            else:
                made = self.statement(declaration)
            own = made[-1] if made else None
            if is_default and isinstance(own, n.Function | n.Class | n.Alias):
                return (*made, n.Export(span, "default", n.Name(span, own.name)))
            return made
        source = node.child_by_field_name("source")
        clause = next((c for c in node.named_children if c.type == "export_clause"), None)
        if source is not None and clause is None:
            module = self.string_value(source)
            space = next((c for c in node.named_children if c.type == "namespace_export"), None)
            if space is not None:
                return (n.Import(span, module, 0, None, self.text(space.named_children[0])),)
            return (n.Import(span, module, 0, "*", "*"),)
        if clause is not None:
            return tuple(self.exported(node, clause, source))
        value = node.child_by_field_name("value")
        if value is None:
            value = next((c for c in node.named_children if c.type not in ("decorator", "comment")), None)
        if value is None:
            return ()
        return (n.Export(span, "default" if is_default else "=", self.expr(value)),)

    def exported(
        self, node: tree_sitter.Node, clause: tree_sitter.Node, source: tree_sitter.Node | None
    ) -> list[n.Stmt]:
        span = self.span(node)
        found: list[n.Stmt] = []
        for each in (c for c in clause.named_children if c.type == "export_specifier"):
            name = self.text(self.field(each, "name"))
            alias = each.child_by_field_name("alias")
            seen = self.text(alias) if alias is not None else name
            if source is not None:
                hidden = f"export:{seen}"
                found.append(n.Import(span, self.string_value(source), 0, name, hidden))
                found.append(n.Export(span, seen, n.Name(span, hidden)))
            elif seen != name:
                found.append(n.Export(span, seen, n.Name(span, name)))
        return found

    # --- statements ---------------------------------------------------------------------------------------------------

    def do(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        inner = next((c for c in node.named_children if c.type != "comment"), None)
        if inner is None or inner.type == "string":
            return (self.directive(inner),) if inner is not None else ()
        if inner.type == "assignment_expression":
            left, right = self.expr(self.field(inner, "left")), self.field(inner, "right")
            given = self.given_away(inner, left, right)
            return given if given is not None else (n.Assign(self.span(inner), (left,), self.expr(right)),)
        if inner.type == "augmented_assignment_expression":
            op = self.text(self.field(inner, "operator"))[:-1]
            value = self.expr(self.field(inner, "right"))
            return (n.Assign(self.span(inner), (self.expr(self.field(inner, "left")),), value, op),)
        if inner.type == "sequence_expression":
            return tuple(n.Do(self.span(c), self.expr(c)) for c in inner.named_children)
        if inner.type == "internal_module":
            return self.statement(inner)
        return (n.Do(self.span(node), self.expr(inner)),)

    def directive(self, node: tree_sitter.Node) -> n.Stmt:
        return n.Do(self.span(node), self.string(node))

    def given_away(self, node: tree_sitter.Node, left: n.Expr, right: tree_sitter.Node) -> tuple[n.Stmt, ...] | None:
        """`module.exports = x`, `exports.name = x`: what other files see of this one."""
        path, span = dotted(left) or "", self.span(node)
        if path not in ("module.exports", "exports") and not path.startswith(("module.exports.", "exports.")):
            return None
        if right.type == "assignment_expression":
            inner = self.given_away(right, self.expr(self.field(right, "left")), self.field(right, "right"))
            return inner if inner is not None else ()
        value = self.expr(right)
        if path in ("module.exports", "exports"):
            return (n.Export(span, "=", value),)
        name = path.rpartition(".")[2]
        return (n.Export(span, name, value),)

    def if_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        test = self.expr(self.field(node, "condition"))
        clause = node.child_by_field_name("alternative")
        other = self.arm(clause.named_children[0]) if clause is not None and clause.named_children else ()
        return (n.If(self.span(node), test, self.arm(self.field(node, "consequence")), other),)

    def arm(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.block(node) if node.type == "statement_block" else self.statement(node)

    def for_in(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        target, over = self.expr(self.field(node, "left")), self.expr(self.field(node, "right"))
        if self.text(self.field(node, "operator")) == "in":
            span = self.span(self.field(node, "right"))
            over = n.Call(span, n.Member(span, n.Name(span, "Object"), "keys"), (n.Arg(over),))
        return (n.Loop(self.span(node), target, over, None, self.arm(self.field(node, "body"))),)

    def for_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        first = node.child_by_field_name("initializer")
        before = self.statement(first) if first is not None else ()
        condition = node.child_by_field_name("condition")
        test = self.expr(condition) if condition is not None and condition.is_named else None
        return (*before, n.Loop(self.span(node), None, None, test, self.arm(self.field(node, "body"))))

    def while_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        test = self.expr(self.field(node, "condition"))
        return (n.Loop(self.span(node), None, None, test, self.arm(self.field(node, "body"))),)

    def leave(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        kind: Any = node.type.removesuffix("_statement").replace("throw", "raise")
        named = [c for c in node.named_children if c.type not in ("comment", "statement_identifier")]
        return (n.Leave(self.span(node), kind, self.expr(named[0]) if named else None),)

    def try_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        handler, final = node.child_by_field_name("handler"), node.child_by_field_name("finalizer")
        catches = self.catches(handler) if handler is not None else ()
        last = self.block(final.child_by_field_name("body")) if final is not None else ()
        body = self.block(node.child_by_field_name("body"))
        return (n.Try(self.span(node), body, catches, (), last),)

    def catches(self, node: tree_sitter.Node) -> tuple[n.Catch, ...]:
        """The one catch there is, told apart by what it asks of the error: `if (e instanceof A) …` catches A."""
        parameter = node.child_by_field_name("parameter")
        name = self.text(parameter) if parameter is not None and parameter.type == "identifier" else None
        body = list(self.block(node.child_by_field_name("body")))
        if parameter is not None and name is None:
            body.insert(
                0, n.Assign(self.span(parameter), (self.expr(parameter),), n.Name(self.span(parameter), "error"))
            )
            name = "error"
        found: list[n.Catch] = []
        before: list[n.Stmt] = []
        while body:
            first = body.pop(0)
            types = _asked_types(first.test, name) if isinstance(first, n.If) and name is not None else ()
            if isinstance(first, n.If) and types:
                rest = () if _ends(first.then) else tuple(body)
                found.append(n.Catch(first.span, types, name, (*before, *first.then, *rest)))
                body = [*first.other, *body]
                continue
            before.append(first)
            if isinstance(first, n.If | n.Leave):
                break
        return (*found, n.Catch(self.span(node), (), name, (*before, *body)))

    def switch(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        subject = self.expr(self.field(node, "value"))
        cases: list[n.Case] = []
        patterns: list[n.Expr] = []
        open_ended = False
        for child in self.field(node, "body").named_children:
            if child.type not in ("switch_case", "switch_default"):
                continue
            value = child.child_by_field_name("value")
            if value is not None:
                patterns.append(self.expr(value))
            else:
                open_ended = True
            body = [s for c in child.children_by_field_name("body") for s in self.statement(c)]
            if not body:
                # It falls through to the next one.
                continue
            if isinstance(body[-1], n.Leave) and body[-1].kind == "break":
                body.pop()
            cases.append(n.Case(self.span(child), () if open_ended else tuple(patterns), None, tuple(body)))
            patterns, open_ended = [], False
        cases.sort(key=lambda c: not c.patterns)
        return (n.Switch(self.span(node), subject, tuple(cases)),)

    def labelled(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.arm(self.field(node, "body"))


def _ends(body: tuple[n.Stmt, ...]) -> bool:
    return bool(body) and isinstance(body[-1], n.Leave)


def _asked_types(test: n.Expr, error: str) -> tuple[n.Expr, ...]:
    """The error classes a condition asks for: by class, or by name."""
    if isinstance(test, n.Binary) and test.op == "or":
        left, right = _asked_types(test.left, error), _asked_types(test.right, error)
        return (*left, *right) if left and right else ()
    if isinstance(test, n.Binary) and test.op == "is-a" and dotted(test.left) == error:
        return (test.right,)
    if (
        isinstance(test, n.Binary)
        and test.op == "=="
        and dotted(test.left) in (f"{error}.name", f"{error}.constructor.name")
    ):
        return (test.right,) if isinstance(test.right, n.Literal) else ()
    if isinstance(test, n.Member) and dotted(test.value) == error and test.name in _FLAGS:
        return (n.Literal(test.span, _FLAGS[test.name]),)
    return ()


# Members by which libraries let their errors be told apart.
_FLAGS = {"isJoi": "ValidationError", "isZodError": "ZodError"}

_S = Statements

Statements.statements = {
    "lexical_declaration": _S.declared, "variable_declaration": _S.declared,
    "function_declaration": _S.function_declaration, "generator_function_declaration": _S.function_declaration,
    "class_declaration": _S.class_declaration, "abstract_class_declaration": _S.class_declaration,
    "interface_declaration": _S.interface, "type_alias_declaration": _S.alias, "enum_declaration": _S.enum,
    "import_statement": _S.import_, "export_statement": _S.export, "expression_statement": _S.do, "if_statement": _S.if_,
    "for_in_statement": _S.for_in, "for_statement": _S.for_, "while_statement": _S.while_, "do_statement": _S.while_,
    "return_statement": _S.leave, "throw_statement": _S.leave, "break_statement": _S.leave,
    "continue_statement": _S.leave, "try_statement": _S.try_, "switch_statement": _S.switch,
    "labeled_statement": _S.labelled,
}  # fmt: skip
