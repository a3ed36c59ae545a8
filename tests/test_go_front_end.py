"""Go lowered to the neutral tree, and names followed across the files of its packages."""

from typing import Any

import pytest

from mappu.pipeline.languages import LANGUAGES
from mappu.sources.walk import find
from mappu.symbols.program import Program
from mappu.syntax import go
from mappu.syntax import nodes as n
from neutral_tree import shown

DECLARED = [
    ('import (\n"net/http"\nv "a.b/c/v3"\n. "fmt"\n_ "x"\n"a.b/go-redis/v9"\n"a.b/d.v2"\n)',
     ("import net/http#None as http; import a.b/c#None as v; import fmt#* as *; import a.b/go-redis#None as redis; "
      "import a.b/d.v2#None as d")),
    ("const (\nA Kind = iota\nB\n_\nD\nE = 1 << 3\nF\n)",
     "A: Kind = 0; B: Kind = 1; _: Kind = 2; D: Kind = 3; E = (1 << 3); F = (1 << 3)"),
    (("type R struct {\nBase\n*pkg.Other `json:\"o\"`\nA, B string `json:\"a,omitempty\" validate:\"oneof='x y' z\"`\nC []*Item\n"
      "D map[string]any\n}"),
     ("class R < Base, pkg.Other {@embedded() Base: Base; @json('o') @embedded() Other: *[pkg.Other]; "
     "@json('a,omitempty') @validate(\"oneof='x y' z\") A: string; @json('a,omitempty') @validate(\"oneof='x y' z\") B: string; "
      "C: [][*[Item]]; D: map[[string, any]]}")),
    ("type (\nK string\nL = K\nI interface {\nio.Reader\nSave(a int) (int, error)\n}\nG[T any] struct { V T }\n)",
     "class K < string {}; type L = K; interface I < io.Reader {function Save(_, a) {}}; class G {V: T}"),
    ("type S struct{}\nfunc (s *S) A(x int) {}\nfunc (o *Other[T]) B() {}",
     "class S {function A(s, x) {}}; part Other {function B(o) {}}"),
    ("var x, y = f()\nvar z int = 3\nvar r = `a\\d`\nvar t = \"a\\tb\\u0041\"",
     "[x, y] = f(); z: int = 3; r = 'a\\\\d'; t = 'a\\tbA'"),
    ("type T struct { In struct { X int } }", "class T {In: struct 27}; class struct 27 {X: int}"),
]  # fmt: skip
INSIDE = [
    ("a, err := f(&b)\nif err != nil { return }", "[a, err] = f(& b); if (err != None) [return] []"),
    ("err := f()\nif err := g(); err != nil { h(err) }\nk(err)", "err = f(); err' = g(); if (err' != None) [h(err')] []; k(err)"),
    ("x := &T{A: 1, B: []int{2}}\ny := T[int]{}\nz := map[string]bool{\"a\": true}",
     "x = & T(1, [2]); y = T[int](); z = {'a': True}"),
    ("v, ok := m[\"k\"]\nw, ok := v.(string)\nu := v.(int)",
     "[v, ok] = .ok(m['k']); [w, ok] = .ok(v, string); u = .assert(v, int)"),
    ("for i, e := range xs { f(e) }\nfor k := range m {}\nfor i := 0; i < 3; i++ { continue }",
     "for [i', e] in .range(xs) [f(e)]; for [k, _] in .range(m) []; i' = 0; for  in  [continue]"),
    ("switch k { case A, \"b\": f(); break\ndefault: g() }\nswitch { case a && !b: f()\ncase c, d: g()\ndefault: h() }",
     "switch k [['A', \"'b'\"]: f(); []: g()]; if (a and not b) [f()] [if (c or d) [g()] [h()]]"),
    ("switch t := x.(type) { case string: f(t) }", "switch Opaque [['string']: t = x; f(t)]"),
    ("p := new(T)\nq := make([]int, 3)\nr := make(map[string]int)\ns := F[T](r)\nx[1:2]",
     "p = T(); q = []; r = {}; s = F[T](r); .slice(x)"),
    ("defer f()\ngo g()\ni++\ns.n -= 2\nh(xs...)\nch <- 1", "g(); i = 1; s.n = 2; h(...xs); ch.send(1)"),
    ("return func(c *C) error { return nil }", "return function (c) {return None}"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), DECLARED)
def test_declarations(source: str, expected: str) -> None:
    module = go.parse("a.go", f"package p\n{source}\n".encode())
    assert not module.damage
    assert "; ".join(shown(s) for s in module.body[1:]) == expected.replace("struct 27", _unnamed(module))


def _unnamed(module: n.Module) -> str:
    return next((s.name for s in module.body if isinstance(s, n.Class) and s.name.startswith("struct ")), "")


@pytest.mark.parametrize(("source", "expected"), INSIDE)
def test_bodies(source: str, expected: str) -> None:
    module = go.parse("a.go", f"package p\nfunc f(i int) {{\n{source}\n}}\n".encode())
    function = module.body[1]
    assert isinstance(function, n.Function)
    assert "; ".join(shown(s) for s in function.body) == expected
    assert not module.damage


def test_results_with_names_come_back_bare_and_new_takes_a_value() -> None:
    module = go.parse(
        "a.go", b"package p\nfunc f() (a int, err error) {\n\tb, err := g()\n\tx = new(b + 1)\n\treturn\n}\n"
    )
    assert [shown(s) for s in module.body[1].body] == ["[b, err] = g()", "x = (b + 1)", "return [a, err]"]  # type: ignore[union-attr]
    assert not module.damage


FILES = {
    "go.mod": "module a.example/svc/v2\n",
    "main.go": """
    package main
    import (
        "a.example/svc/v2/store"
        own "a.example/svc/v2/internal/go-kinds"
        "b.example/outside"
    )
    func main() {
        s := store.New()
        var i store.Keeper = s
        row := store.Row{}
        made, err := store.Open()
        use(s, i, row, own.First, outside.Thing, helper, made, err)
    }
    """,
    "helper.go": "package main\nfunc helper() {}\n",
    "store/types.go": """
    package store
    type Keeper interface { Keep(r Row) error }
    type Row struct { Base }
    type Base struct { ID int }
    """,
    "store/store.go": """
    package store
    type disk struct { rows []Row }
    func New() Keeper { return &disk{} }
    func Open() (*disk, error) { return nil, nil }
    """,
    "store/keep.go": "package store\nfunc (d *disk) Keep(r Row) error { return nil }\n",
    "internal/go-kinds/kinds.go": 'package kinds\nconst (\n\tFirst = "first"\n\tSecond = "second"\n)\n',
}


def test_names_lead_across_files_and_packages(workshop: Any) -> None:
    root = workshop.write(FILES, manifest=None)
    tree = find([root], (".go", "go.mod"), (), ())
    language = next(x for x in LANGUAGES if x.front_end.language == "go")
    program = Program(
        dict(tree.files), lambda path: language.front_end.parse(path, tree.files[path].read()), language.names(tree)
    )
    top = program.module_scope("main.go")
    assert top is not None
    main = program.functions(top)
    scope = next(program.scope_of(f, s) for f, s in main if f.name == "main")

    def named(text: str) -> tuple[str, str | None]:
        found = program.resolve(go.expression(text, n.Span(1, 0, 0)), scope)
        assert found is not None
        return found.name, found.scope.module.path if found.scope is not None else None

    assert named("store.New") == ("a.example/svc/store.New", "store/store.go")
    assert named("helper") == ("a.example/svc.helper", "helper.go")
    assert named("outside.Thing") == ("b.example/outside.Thing", None)
    assert named("row.ID") == ("a.example/svc/store.Base.ID", "store/types.go")
    # What a function makes is known even where it says that it gives back less; its methods may be in another file.
    assert named("s.Keep") == named("made.Keep") == ("a.example/svc/store.disk.Keep", "store/keep.go")
    kept = program.resolve(go.expression("i.Keep", n.Span(1, 0, 0)), scope)
    assert kept is not None
    assert program.method(kept, 1).name == "a.example/svc/store.disk.Keep"
    first = program.constant(go.expression("own.First", n.Span(1, 0, 0)), scope)
    assert first is not None
    assert first.value == "first"
