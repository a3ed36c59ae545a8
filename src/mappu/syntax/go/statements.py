"""Go's statements and declarations lowered to the neutral tree."""

import re
from collections.abc import Callable, Iterable
from typing import Any

import tree_sitter

from mappu.syntax import nodes as n
from mappu.syntax.go.expressions import Expressions, parser

_TAG = re.compile(r'([^\s":]+):("(?:[^"\\]|\\.)*")')
_VERSION = re.compile(r"/v\d+(?=/|$)")
_ENDING = re.compile(r"\.v\d+$")
_BREAKABLE = frozenset({"expression_switch_statement", "type_switch_statement", "select_statement", "for_statement"})
Result = n.Expr | None


def _body(
    whole: bytes, first: n.Span, damage: list[n.Damage], names: Iterable[str], results: tuple[str, ...]
) -> tuple[n.Stmt, ...]:
    """Lower the block that stands there. It is parsed again by itself: holding on to the whole file's tree until somebody asks
    for a body would cost far more memory than most bodies, never asked for, are worth."""
    part = whole[first.start : first.end]
    lowering = Statements(part, whole=whole, start=first, damage=damage)
    lowering.inside.append({name: name for name in names})
    lowering.results.append(results)
    root = parser().parse(part).root_node
    # What a function is given and what its body declares first lie in the same block.
    found = lowering.block(next((c for c in root.named_children if c.type == "block"), root))
    return (*found, *lowering.unnamed)


class Statements(Expressions):
    """Lowers the statements of one file, or of a part of it. `results` are the names that a function gives its results."""

    blocks = frozenset({"ERROR", "source_file", "statement_list"})

    def __init__(self, *args: Any, **named: Any) -> None:
        super().__init__(*args, **named)
        self.inside = []
        self.unnamed = []
        self.results: list[tuple[str, ...]] = []

    # --- files --------------------------------------------------------------------------------------------------------

    def whole_block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        """The declarations of a file, with every method in the struct that it is one of; methods of a struct of another file
        are a part of that."""
        methods: dict[str, list[n.Function]] = {}
        found: list[n.Stmt] = []
        assert node is not None
        for child in node.named_children:
            if child.type == "method_declaration":
                method, owner = self.method(child)
                if owner:
                    methods.setdefault(owner, []).append(method)
            else:
                found.extend(self.statement(child))
        found.extend(self.unnamed)
        placed = [_with(s, methods.pop(s.name, ())) if isinstance(s, n.Class) else s for s in found]
        for name, listed in methods.items():
            span, body = listed[0].span, tuple(listed)
            placed.append(n.Class(span, name, (), (), (), _given(body), form="part"))
        return tuple(placed)

    def package(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """A file sees what lies in its own package."""
        return (n.Import(self.span(node), "", 0, "*", "*"),)

    def imports(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        specs = [
            c for child in node.named_children for c in ([child, *child.named_children]) if c.type == "import_spec"
        ]
        found = []
        for spec in specs:
            path = _VERSION.sub("", self.written(self.field(spec, "path")))
            named = spec.child_by_field_name("name")
            alias = self.text(named) if named is not None else package_name(path)
            if alias == ".":
                found.append(n.Import(self.span(spec), path, 0, "*", "*"))
            elif alias != "_":
                found.append(n.Import(self.span(spec), path, 0, None, alias))
        return tuple(found)

    # --- types --------------------------------------------------------------------------------------------------------

    def types(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return tuple(s for c in node.named_children if c.type in ("type_spec", "type_alias") for s in self.type_(c))

    def type_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span, name, type_ = self.span(node), self.text(self.field(node, "name")), self.field(node, "type")
        params = self.type_params(node)
        if node.type == "type_alias":
            return (n.Alias(span, name, params, self.expr(type_)),)
        if type_.type == "struct_type":
            return (self.struct_of(name, type_, params, node),)
        if type_.type == "interface_type":
            return (self.interface(span, name, params, type_),)
        marks = (n.Mark(span, n.Name(span, "defined"), None, "attribute"),)
        return (n.Class(span, name, params, (n.Arg(self.expr(type_)),), marks, _given(())),)

    def type_params(self, node: tree_sitter.Node) -> tuple[str, ...]:
        params = node.child_by_field_name("type_parameters")
        declared = params.named_children if params is not None else ()
        return tuple(self.text(name) for c in declared for name in c.children_by_field_name("name"))

    def struct_of(
        self, name: str, node: tree_sitter.Node, type_params: tuple[str, ...], whole: tree_sitter.Node | None = None
    ) -> n.Class:
        bases: list[n.Arg] = []
        members: list[n.Variable] = []
        for field in (c for part in node.named_children for c in part.named_children):
            if field.type != "field_declaration":
                continue
            span, marks = self.span(field), self.tags(field)
            typed = field.child_by_field_name("type")
            type_ = self.expr(typed) if typed is not None else None
            names = field.children_by_field_name("name")
            if any(c.type == "*" for c in field.children) and not names and type_ is not None:
                type_ = n.Index(span, n.Name(span, "*"), type_)
            for named in names:
                members.append(n.Variable(span, self.text(named), type_, None, marks))
            if not names and type_ is not None:
                marks = (*marks, n.Mark(span, n.Name(span, "embedded"), None, "attribute"))
                members.append(n.Variable(span, _last(type_), type_, None, marks))
                bases.append(n.Arg(type_.index if isinstance(type_, n.Index) and _last(type_.value) == "*" else type_))
        span = self.span(whole if whole is not None else node)
        return n.Class(span, name, type_params, tuple(bases), (), _given(tuple(members)))

    def tags(self, field: tree_sitter.Node) -> tuple[n.Mark, ...]:
        """The keys of a field's tag, each with its text."""
        tag = field.child_by_field_name("tag")
        if tag is None:
            return ()
        span, found = self.span(tag), []
        for key, quoted in _TAG.findall(self.written(tag)):
            text = re.sub(r"\\(.)", r"\1", quoted[1:-1])
            found.append(n.Mark(span, n.Name(span, key), (n.Arg(n.Literal(span, text)),), "tag"))
        return tuple(found)

    def interface(self, span: n.Span, name: str, params: tuple[str, ...], node: tree_sitter.Node) -> n.Class:
        bases = [n.Arg(self.inner(c)) for c in node.named_children if c.type == "type_elem"]
        methods = []
        for child in node.named_children:
            if child.type == "method_elem":
                at = self.span(child)
                mark = n.Mark(at, n.Name(at, "abstract"), None, "attribute")
                own = (n.Param(at, "_", n.Name(at, name)), *self.params(self.field(child, "parameters")))
                returns, _ = self.returned(child)
                methods.append(n.Function(at, self.text(self.field(child, "name")), own, returns, (mark,), _given(())))
        return n.Class(span, name, params, tuple(bases), (), _given(tuple(methods)), form="interface")

    # --- functions ----------------------------------------------------------------------------------------------------

    def function(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (self.function_of(node, ()),)

    def method(self, node: tree_sitter.Node) -> tuple[n.Function, str]:
        """A method with its receiver in front of its parameters, and the name of what it is a method of."""
        own = self.params(self.field(node, "receiver"))
        type_ = own[0].type if own else None
        while isinstance(type_, n.Index):
            type_ = type_.index if _last(type_.value) == "*" else type_.value
        return self.function_of(node, own), _last(type_) if type_ is not None else ""

    def function_of(self, node: tree_sitter.Node, own: tuple[n.Param, ...]) -> n.Function:
        name = self.text(self.field(node, "name"))
        params = (*own, *self.params(self.field(node, "parameters")))
        returns, results = self.returned(node)
        body = node.child_by_field_name("body")
        span, whole, damage = self.span(body) if body is not None else None, self.whole, self.damage
        names = (*(p.name for p in params), *results)
        lazy = _given(()) if span is None else n.Lazy(lambda: _body(whole, span, damage, names, results))
        return n.Function(self.span(node), name, params, returns, (), lazy, type_params=self.type_params(node))

    def literal_function(self, node: tree_sitter.Node) -> n.Expr:
        params = self.params(self.field(node, "parameters"))
        returns, results = self.returned(node)
        self.inside.append({p.name: p.name for p in params} | {r: r for r in results})
        self.results.append(results)
        inside = self.block(node.child_by_field_name("body"))
        self.inside.pop()
        self.results.pop()
        return n.Function(self.span(node), "", params, returns, (), _given(inside))

    def params(self, node: tree_sitter.Node) -> tuple[n.Param, ...]:
        found: list[n.Param] = []
        for child in node.named_children:
            if child.type not in ("parameter_declaration", "variadic_parameter_declaration"):
                continue
            span, type_ = self.span(child), self.expr(self.field(child, "type"))
            rest = child.type == "variadic_parameter_declaration"
            if rest:
                type_ = n.Index(span, n.Name(span, "[]"), type_)
            names = [self.text(c) for c in child.children_by_field_name("name")] or ["_"]
            found.extend(n.Param(span, name, type_, kind="rest" if rest else "plain") for name in names)
        return tuple(found)

    def returned(self, node: tree_sitter.Node) -> tuple[Result, tuple[str, ...]]:
        """The types that a function gives back, and their names where they have some."""
        result = node.child_by_field_name("result")
        if result is None:
            return None, ()
        if result.type != "parameter_list":
            return self.expr(result), ()
        listed = self.params(result)
        types = tuple(p.type for p in listed if p.type is not None)
        names = tuple(p.name for p in listed if p.name != "_")
        return (types[0] if len(types) == 1 else n.Items(self.span(result), "tuple", types)), names

    # --- variables ----------------------------------------------------------------------------------------------------

    def variables(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        specs = [c for child in node.named_children for c in ([child, *child.named_children]) if c.type == "var_spec"]
        return tuple(s for spec in specs for s in self.variable(spec))

    def variable(self, spec: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span, type_, given = self.span(spec), self.opt(spec, "type"), spec.child_by_field_name("value")
        values = [c for c in given.named_children if c.type != "comment"] if given is not None else []
        named = spec.children_by_field_name("name")
        if len(values) == 1 and len(named) > 1:
            value = self.two(values[0], len(named))
            names = tuple(n.Name(self.span(c), self.declare(self.text(c))) for c in named)
            return (n.Assign(span, (n.Items(span, "tuple", names),), value),)
        held = [self.expr(v) for v in values] + [None] * len(named)
        return tuple(n.Variable(span, self.declare(self.text(c)), type_, v) for c, v in zip(named, held, strict=False))

    def constants(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """Constants; one without a value takes that of the one before it, counted on."""
        found: list[n.Stmt] = []
        last: tree_sitter.Node | None = None
        typed: n.Expr | None = None
        for i, spec in enumerate(c for c in node.named_children if c.type == "const_spec"):
            given = spec.child_by_field_name("value")
            if given is not None:
                last, typed = given, self.opt(spec, "type")
            self.iota = i
            values = [c for c in last.named_children if c.type != "comment"] if last is not None else []
            for name, value in zip(spec.children_by_field_name("name"), values, strict=False):
                held = self.expr(value)
                found.append(n.Variable(self.span(spec), self.declare(self.text(name)), typed, held))
        return tuple(found)

    def short(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """`a, err := f()`."""
        span = self.span(node)
        left = [c for c in self.field(node, "left").named_children if c.type != "comment"]
        right = [c for c in self.field(node, "right").named_children if c.type != "comment"]
        if len(right) == 1 and len(left) > 1:
            value: n.Expr = self.two(right[0], len(left))
        else:
            value = self.expr(self.field(node, "right"))
        names = tuple(n.Name(self.span(c), self.declare(self.text(c))) for c in left)
        if len(names) == 1:
            return (n.Variable(span, names[0].id, None, value),)
        return (n.Assign(span, (n.Items(span, "tuple", names),), value),)

    def two(self, node: tree_sitter.Node, count: int) -> n.Expr:
        """A value that is asked for together with whether there is one."""
        if count == 2 and node.type == "index_expression":
            return self.special(node, ".ok", node)
        if count == 2 and node.type == "type_assertion_expression":
            return self.special(node, ".ok", self.field(node, "operand"), self.field(node, "type"))
        return self.expr(node)

    def assign(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        left, right = self.field(node, "left"), self.field(node, "right")
        target = self.expr(left)
        count = len(target.items) if isinstance(target, n.Items) else 1
        one = [c for c in right.named_children if c.type != "comment"]
        value = self.two(one[0], count) if len(one) == 1 else self.expr(right)
        op = self.text(self.field(node, "operator"))[:-1] or None
        return (n.Assign(self.span(node), (target,), value, op, declares=False),)

    def step(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        op = "+" if node.type == "inc_statement" else "-"
        return (n.Assign(span, (self.inner(node),), n.Literal(span, 1), op, declares=False),)

    # --- statements ---------------------------------------------------------------------------------------------------

    def block_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.within(lambda: self.block(node))

    def within(self, lower: Callable[[], tuple[n.Stmt, ...]]) -> tuple[n.Stmt, ...]:
        self.inside.append({})
        found = lower()
        self.inside.pop()
        return found

    def do(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (n.Do(self.span(node), self.inner(node)),)

    def if_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.within(lambda: (*self.first(node), self.branch(node)))

    def branch(self, node: tree_sitter.Node) -> n.If:
        test = self.expr(self.field(node, "condition"))
        then = self.statement(self.field(node, "consequence"))
        other = node.child_by_field_name("alternative")
        return n.If(self.span(node), test, then, self.statement(other) if other is not None else ())

    def first(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """What is done in front of a condition."""
        given = node.child_by_field_name("initializer")
        return self.statement(given) if given is not None else ()

    def for_(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.within(lambda: self.loop(node))

    def loop(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        clause = next((c for c in node.named_children if c.type in ("for_clause", "range_clause")), None)
        if clause is None:
            tests = [c for c in node.named_children if c.type not in ("block", "comment")]
            test = self.expr(tests[0]) if tests else None
            return (n.Loop(span, None, None, test, self.body(node)),)
        if clause.type == "for_clause":
            before = self.first(clause)
            test = self.opt(clause, "condition")
            return (*before, n.Loop(span, None, None, test, self.body(node)))
        right, left = self.field(clause, "right"), clause.child_by_field_name("left")
        over = self.special(clause, ".range", right)
        named = [c for c in left.named_children if c.type != "comment"] if left is not None else []
        declared = [n.Name(self.span(c), self.declare(self.text(c))) for c in named]
        target = n.Items(span, "tuple", (*declared, *[n.Name(span, "_")] * (2 - len(declared))))
        return (n.Loop(span, target, over, None, self.body(node)),)

    def body(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        found = node.child_by_field_name("body")
        return self.statement(found) if found is not None else ()

    def leave(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        span = self.span(node)
        given = next((c for c in node.named_children if c.type == "expression_list"), None)
        if given is not None:
            return (n.Leave(span, "return", self.expr(given)),)
        names = self.results[-1] if self.results else ()
        named = tuple(n.Name(span, next((b[x] for b in reversed(self.inside) if x in b), x)) for x in names)
        value = named[0] if len(named) == 1 else n.Items(span, "tuple", named) if named else None
        return (n.Leave(span, "return", value),)

    def jump(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        if node.type == "break_statement" and not node.named_children and _breaks_a_switch(node):
            return ()
        return (n.Leave(self.span(node), "break" if node.type == "break_statement" else "continue", None),)

    def labelled(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.statement(node.named_children[-1]) if len(node.named_children) > 1 else ()

    def started(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return (n.Do(self.span(node), self.inner(node)),)

    def sent(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        """`channel <- value`: given to whoever listens."""
        span = self.span(node)
        func = n.Member(span, self.expr(self.field(node, "channel")), "send")
        return (n.Do(span, n.Call(span, func, (n.Arg(self.expr(self.field(node, "value"))),))),)

    def switch(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.within(lambda: (*self.first(node), *self.chosen(node)))

    def chosen(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        cases = [c for c in node.named_children if c.type in ("expression_case", "default_case")]
        subject = node.child_by_field_name("value")
        if subject is None:
            return self.tested(node, cases)
        listed = tuple(self.case(c, self.patterns(c)) for c in cases)
        return (n.Switch(self.span(node), self.expr(subject), listed),)

    def patterns(self, node: tree_sitter.Node) -> tuple[n.Expr, ...]:
        given = node.child_by_field_name("value")
        return tuple(self.expr(c) for c in given.named_children if c.type != "comment") if given is not None else ()

    def case(self, node: tree_sitter.Node, patterns: tuple[n.Expr, ...], before: tuple[n.Stmt, ...] = ()) -> n.Case:
        body = self.within(lambda: self.inner_block(node))
        return n.Case(self.span(node), patterns, None, (*before, *body))

    def inner_block(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return tuple(s for c in node.named_children if c.type == "statement_list" for s in self.block(c))

    def tested(self, node: tree_sitter.Node, cases: list[tree_sitter.Node]) -> tuple[n.Stmt, ...]:
        """A switch without a subject: conditions one after another."""
        default = next((c for c in cases if c.type == "default_case"), None)
        found = self.within(lambda: self.inner_block(default)) if default is not None else ()
        for case in reversed([c for c in cases if c is not default]):
            span, tests = self.span(case), self.patterns(case)
            if not tests:
                continue
            test = tests[0]
            for other in tests[1:]:
                test = n.Binary(span, "or", test, other)
            found = (n.If(span, test, self.within(lambda case=case: self.inner_block(case)), found),)  # type: ignore[misc]
        return found

    def type_switch(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        return self.within(lambda: (*self.first(node), self.by_type(node)))

    def by_type(self, node: tree_sitter.Node) -> n.Stmt:
        subject = self.expr(self.field(node, "value"))
        named = node.child_by_field_name("alias")
        alias = self.declare(self.text(named)) if named is not None else None
        cases = []
        for child in node.named_children:
            if child.type in ("type_case", "default_case"):
                types = tuple(self.expr(c) for c in child.children_by_field_name("type"))
                span = self.span(child)
                before = (n.Variable(span, alias, None, subject),) if alias is not None else ()
                cases.append(self.case(child, types, before))
        return n.Switch(self.span(node), n.Opaque(self.span(node), "type"), tuple(cases))

    def select(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        cases = [c for c in node.named_children if c.type in ("communication_case", "default_case")]
        listed = tuple(self.case(c, (n.Opaque(self.span(c), "received"),)) for c in cases)
        return (n.Switch(self.span(node), n.Opaque(self.span(node), "received"), listed),)


def package_name(path: str) -> str:
    """The name by which a file speaks of a package that it imports without one of its own: the last part of its path, without
    a version and what such names begin with."""
    return re.split(r"[-.]", _ENDING.sub("", path.rpartition("/")[2]))[-1]


def _last(type_: n.Expr) -> str:
    while isinstance(type_, n.Index):
        type_ = type_.index if isinstance(type_.value, n.Name) and type_.value.id == "*" else type_.value
    return type_.name if isinstance(type_, n.Member) else type_.id if isinstance(type_, n.Name) else ""


def _given(body: tuple[n.Stmt, ...]) -> n.Lazy:
    return n.Lazy(lambda: body)


def _with(node: n.Class, methods: Iterable[n.Function]) -> n.Class:
    body = (*node.body, *methods)
    return n.Class(node.span, node.name, node.type_params, node.bases, node.marks, _given(body), form=node.form)


def _breaks_a_switch(node: tree_sitter.Node) -> bool:
    """True for a `break` that leaves a switch, not a loop."""
    around = node.parent
    while around is not None and around.type not in _BREAKABLE:
        around = around.parent
    return around is not None and around.type != "for_statement"


_S = Statements
Statements.statements = {
    "package_clause": _S.package, "import_declaration": _S.imports, "type_declaration": _S.types,
    "function_declaration": _S.function, "var_declaration": _S.variables, "const_declaration": _S.constants,
    "short_var_declaration": _S.short, "assignment_statement": _S.assign, "inc_statement": _S.step, "dec_statement": _S.step,
    "expression_statement": _S.do, "block": _S.block_, "if_statement": _S.if_, "for_statement": _S.for_,
    "return_statement": _S.leave, "break_statement": _S.jump, "continue_statement": _S.jump, "labeled_statement": _S.labelled,
    "go_statement": _S.started, "send_statement": _S.sent, "expression_switch_statement": _S.switch,
    "type_switch_statement": _S.type_switch, "select_statement": _S.select,
}  # fmt: skip
Statements.expressions = {**Expressions.expressions, "func_literal": _S.literal_function}
