"""Python's front end: what each construct becomes in the neutral tree."""

import pytest

from mappu.syntax import nodes as n
from mappu.syntax import python
from mappu.syntax.walk import children, dotted, walk


def shown(node: object) -> str:
    """A node in few words, so that a row of the table below stays a row."""
    match node:
        case n.Name(id=name):
            return name
        case n.Literal(value=value):
            return repr(value)
        case n.Member():
            return f"{shown(node.value)}.{node.name}"
        case n.Index():
            return f"{shown(node.value)}[{shown(node.index)}]"
        case n.Call():
            args = (("*" * a.spread) + (f"{a.name}=" if a.name else "") + shown(a.value) for a in node.args)
            return f"{shown(node.func)}({', '.join(args)})"
        case n.Items():
            return f"{node.kind}({', '.join(map(shown, node.items))})"
        case n.Entries():
            return f"entries({', '.join(f'{shown(k) if k else chr(42)}: {shown(v)}' for k, v in node.entries)})"
        case n.Binary():
            return f"({shown(node.left)} {node.op} {shown(node.right)})"
        case n.Unary():
            return f"({node.op} {shown(node.value)})"
        case n.Template():
            return f"text({', '.join(map(shown, node.parts))})"
        case n.Choice():
            return f"({shown(node.test)} ? {shown(node.then)} : {shown(node.other)})"
        case n.Bind():
            return f"({shown(node.target)} := {shown(node.value)})"
        case n.Comprehension():
            loops = " ".join(f"{shown(t)} in {shown(o)}" for t, o in node.loops)
            return f"{node.kind}<{shown(node.element)} for {loops}{''.join(f' if {shown(t)}' for t in node.tests)}>"
        case n.Function(name=""):
            return f"lambda({', '.join(p.name for p in node.params)}) {shown(node.body[0])}"
        case n.Opaque():
            return f"?{node.text}"
        case n.Do():
            return shown(node.value)
        case n.Assign():
            return f"{' = '.join(map(shown, node.targets))} {node.op or ''}= {shown(node.value)}"
        case n.Variable():
            return f"{node.name}: {shown(node.type)}" + (f" = {shown(node.value)}" if node.value else "")
        case n.Leave():
            return node.kind + (f" {shown(node.value)}" if node.value else "")
        case n.If():
            return f"if {shown(node.test)} [{block(node.then)}] [{block(node.other)}]"
        case n.Loop():
            head = f"{shown(node.target)} in {shown(node.over)}" if node.over else shown(node.test)
            return f"loop {head} [{block(node.body)}] [{block(node.other)}]"
        case n.Try():
            catches = "; ".join(f"{'|'.join(map(shown, c.types))} as {c.name} [{block(c.body)}]" for c in node.catches)
            return f"try [{block(node.body)}] {catches} [{block(node.other)}] [{block(node.final)}]"
        case n.With():
            return f"with {', '.join(f'{shown(v)} as {shown(t) if t else None}' for v, t in node.items)} [{block(node.body)}]"
        case n.Switch():
            cases = "; ".join(f"{'|'.join(map(shown, c.patterns))} [{block(c.body)}]" for c in node.cases)
            return f"switch {shown(node.subject)} {cases}"
        case n.Import():
            return f"import {'.' * node.level}{node.module}:{node.name} as {node.alias}"
        case n.Function():
            marks = "".join(f"@{shown(m.name)}{'' if m.args is None else len(m.args)} " for m in node.marks)
            return f"{marks}def {node.name}({', '.join(map(param, node.params))}) [{block(node.body)}]"
        case n.Class():
            return f"class {node.name}({', '.join(map(shown, (a.value for a in node.bases)))}) [{block(node.body)}]"
        case n.Alias():
            return f"alias {node.name}<{', '.join(node.type_params)}> = {shown(node.value)}"
    raise AssertionError(node)


def param(found: n.Param) -> str:
    stars = {"plain": "", "rest": "*", "named-rest": "**"}[found.kind]
    type_ = f": {shown(found.type)}" if found.type else ""
    return stars + found.name + type_ + (f" = {shown(found.default)}" if found.default else "")


def block(stmts: tuple[n.Stmt, ...]) -> str:
    return "; ".join(map(shown, stmts))


ROWS = [
    ("a.b[c](d, e=1, *f, **g)", "a.b[c](d, e=1, *f, ***=g)"),
    ("x: int | None = Field(gt=-1, le=2.5)", "x: (int | None) = Field(gt=-1, le=2.5)"),
    ("a, (b, *c) = d = e", "tuple(a, tuple(b, (spread c))) = d = e"),
    ("a += 1", "a += 1"),
    ("x = f'{a}-{b!r:>10}'", "x = text(a, '-', b)"),
    (r"x = rf'\d{{3}}{a}'", r"x = text('\\d{3}', a)"),
    (r"x = '\x41' b'c' if y else r'\d'", r"x = (y ? text('A', b'c') : '\\d')"),
    ("x = 'one' 'two'", "x = 'onetwo'"),
    ("x = 0x10 + 1_000 * 1e3 - 00", "x = ((16 + (1000 * 1000.0)) - 0)"),
    ("not a and b or c is not d not in e", "(((not a) and b) or ((c is-not d) and (d not-in e)))"),
    ("1 <= x < 9 != y", "(((1 <= x) and (x < 9)) and (9 != y))"),
    ("x = [a for b in c if d for e in f if g]", "x = list<a for b in c e in f if d if g>"),
    ("x = {a: b, **c}, {d}, {e: f for g in h}", "x = tuple(entries(a: b, *: c), set(d), map<tuple(e, f) for g in h>)"),
    ("x = sum(a for a in b)", "x = sum(generator<a for a in b>)"),
    ("x = lambda a, *b: a.c", "x = lambda(a, b) return a.c"),
    ("if (y := f(x)) > 1: pass", "if ((y := f(x)) > 1) [] []"),
    ("if a:\n  b\nelif c:\n  d\nelse:\n  e", "if a [b] [if c [d] [e]]"),
    ("for a, b in c:\n  break\nelse:\n  d", "loop tuple(a, b) in c [break] [d]"),
    ("while a:\n  continue", "loop a [continue] []"),
    ("try:\n  a\nexcept (B, c.D) as e:\n  raise\nexcept:\n  f\nelse:\n  g\nfinally:\n  h",
     "try [a] B|c.D as e [raise];  as None [f] [g] [h]"),
    ("with a() as b, c:\n  d", "with a() as b, c as None [d]"),
    ("match a:\n  case 'x' | 'y':\n    b\n  case 3:\n    c\n  case _:\n    d", "switch a 'x'|'y' [b]; 3 [c];  [d]"),
    ("import a.b, c.d as e", "import a:None as a; import c.d:None as e"),
    ("from ..a.b import c as d, e", "import ..a.b:c as d; import ..a.b:e as e"),
    ("from . import *", "import .:* as *"),
    ("@a.b(1)\n@c\nasync def f(x: int, /, y='z', *args, k: str = None, **kw) -> d:\n  await g(x)\n  return y",
     "@a.b1 @c def f(x: int, y = 'z', *args, k: str = None, **kw) [g(x); return y]"),
    ("class A(B[T], metaclass=C, table=True):\n  '''doc'''\n  x: int\n  def m(self): ...",
     "class A(B[T], C, True) [x: int; def m(self) []]"),
    ("type X[T] = list[T]", "alias X<T> = list[T]"),
    ("assert a > 1, 'why'", "if (not (a > 1)) [raise AssertionError] []"),
    ("del a[b]", "(del a[b])"),
    ("x = yield a", "x = (yield a)"),
    ("print(a if b else c, end='')", "print((b ? a : c), end='')"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), ROWS, ids=[r[0] for r in ROWS])
def test_lowered(source: str, expected: str) -> None:
    module = python.parse("x.py", source.encode())
    assert not module.damage
    assert block(module.body) == expected


def test_spans_hold_in_bodies_lowered_later() -> None:
    source = "# é\n\nclass A:\n    @deco\n    def m(self):\n        if é_x > 1:\n            return 'found'\n"
    module = python.parse("x.py", source.encode())
    leave = next(s for s in walk(*module.body) if isinstance(s, n.Leave))
    assert (leave.line, module.text(leave)) == (7, "return 'found'")
    test = next(s for s in walk(*module.body) if isinstance(s, n.Binary))
    assert (test.line, module.text(test), module.line_text(6)) == (6, "é_x > 1", "if é_x > 1:")
    assert dotted(test.left) == "é_x"


def test_every_node_is_gone_through() -> None:
    source = "\n".join(text for text, _ in ROWS)
    module = python.parse("x.py", source.encode())
    names = {node.id for node in walk(*module.body) if isinstance(node, n.Name)}
    assert set("abcdefghxyBCT") <= names
    assert all(isinstance(c, n.Node) for node in walk(*module.body) for c in children(node))


@pytest.mark.parametrize("text", ["int", "list['A']", "a.B | None"])
def test_a_type_written_as_text(text: str) -> None:
    assert not isinstance(python.expression(text, n.Span(3, 0, 1)), n.Opaque)
    assert python.expression(text, n.Span(3, 0, 1)).line == 3
    assert isinstance(python.expression("not a (type", n.Span(1, 0, 0)), n.Opaque)
