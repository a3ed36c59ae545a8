"""Java and Kotlin lowered to the neutral tree, and classes followed across packages."""

from typing import Any

import pytest

from mappu.pipeline.languages import LANGUAGES
from mappu.sources.walk import find
from mappu.symbols.program import Program
from mappu.syntax import java, kotlin
from mappu.syntax import nodes as n
from neutral_tree import shown

JAVA = [
    ("class A extends B<C> implements D {}", "class A < B[C], D {}"),
    ("class A { @NotNull(message = \"m\") @Size(min = 2, max = MAX) private String s = \"x\"; }",
     "class A {@NotNull('m') @Size(2, MAX) @private() s: String = 'x'}"),
    ("class A { List<@NotBlank String> t; int[] n = {1, 0x1F}; }",
     "class A {t: List[Annotated[[String, NotBlank()]]]; n: Array[int] = [1, 31]}"),
    ("record R(@Positive double d, Leg... legs) {}", "class R {@Positive() d: double; legs: Leg}"),
    ("enum K { A(\"a\"), B; String v; }", "enum K {A = 'A'; B = 'B'}"),
    ("interface I { int MAX = 3; void go(int a, String... b); }", "interface I {MAX: int = 3; function go(a, b) {}}"),
    ("class A { A(R r) { super(r); this.r = r; } }", "class A {function constructor(r) {super(r); this.r = r}}"),
    ("class A { int f() { if (a == null || !b.c() && d instanceof E e) throw new X(1); return a ? 1 : -2; } }",
     "class A {function f() {if ((a == None) or (not b.c() and (e := d is-a E))) [raise X(1)] []; return (a ? 1 : -2)}}"),
    ("class A { void f() { for (String t : ts) g(t); while (x) { y++; } } }",
     "class A {function f() {for t in ts [g(t)]; for  in  [y = 1]}}"),
    ("class A { void f() { try (var i = o()) { g(); } catch (B | C e) { h(); } } }",
     "class A {function f() {try [i = o(); g()] catch [['B', 'C']: h()]}}"),
    ("class A { Object f() { return switch (k) { case X, Y -> 1; default -> 2; }; } }",
     "class A {function f() {return (((k == X) or (k == Y)) ? 1 : 2)}}"),
    ("class A { void f() { s.stream().map(B::c).forEach(x -> g(x)); var y = (T) z[0]; } }",
     "class A {function f() {s.stream().map(B.c).forEach(function (x) {return g(x)}); y = z[0]}}"),
    ("class A { String s = \"a\\tb\\u0041\"; String t = \"\"\"\n      x\n        y\n      \"\"\"; char c = 'z'; }",
     "class A {s: String = 'a\\tbA'; t: String = 'x\\n  y\\n'; c: char = 'z'}"),
    ("import static a.b.C.D; import a.b.*;", "import a.b.C#D as D; import a.b#* as *"),
]  # fmt: skip
KOTLIN = [
    ("data class V(@field:NotBlank val a: String, @Size(max = 3) var b: Int?, c: Long = 3)",
     "class V {@NotBlank() a: String; @Size(3) b: (Integer | None); function constructor(a, b, c) {}}"),
    ("class A(private val r: R) : B<C>(), D {\n companion object { const val M = 4 }\n var s: List<@Size(max = 3) String> = x\n}",
     "class A < B[C], D {r: R; function constructor(r) {}; @static() M = 4; s: List[Annotated[[String, Size(3)]]] = x}"),
    ("enum class K { A, B }", "enum K {A = 'A'; B = 'B'}"),
    ("fun f(a: String): Int = a.length", "function f(a) {return a.length}"),
    ("fun f() { if (!a.b.matches(r) || c > 3) throw X(1, n = 2) else g() }",
     "function f() {if (not a.b.matches(r) or (c > 3)) [raise X(1, 2)] [g()]}"),
    ("fun f() { val x = a?.b ?: return 3\n for (t in ts) { g(t) } }",
     "function f() {x = a?.b; if (a?.b == None) [return 3] []; for t in ts [g(t)]}"),
    ("fun f() { when (k) { K.A -> g()\n else -> h() } }", "function f() {switch k [['K.A']: g(); []: h()]}"),
    ("fun f() { try { g() } catch (e: E) { h() }\n o.orElseThrow { N(id) } }",
     "function f() {try [g()] catch [['E']: h()]; o.orElseThrow(function (it) {return N(id)})}"),
    ("fun f() = \"a $x ${y.z}\"", "function f() {return text('a ', x, 'x ', y.z)}"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), JAVA)
def test_java_lowered(source: str, expected: str) -> None:
    module = java.parse("A.java", source.encode())
    assert not module.damage
    assert "; ".join(map(shown, module.body)) == expected


@pytest.mark.parametrize(("source", "expected"), KOTLIN)
def test_kotlin_lowered(source: str, expected: str) -> None:
    module = kotlin.parse("A.kt", source.encode())
    assert not module.damage
    assert "; ".join(map(shown, module.body)) == expected


def test_annotations_in_front_of_a_kotlin_class_are_its_own() -> None:
    source = b'enum class K { A }\n@RestController\n@RequestMapping("/x")\nclass C {\n  fun go() {}\n}\n'
    last = kotlin.parse("A.kt", source).body[-1]
    assert isinstance(last, n.Class)
    assert [shown(m.as_call()) for m in last.marks] == ["RestController()", "RequestMapping('/x')"]


FILES = {
    "pom.xml": "<project><artifactId>a</artifactId></project>",
    "core/src/a/core/Consts.java": "package a.core;\npublic class Consts { public static final int LIMIT = 40;\n"
    '  static class In { static String W = "w"; } }',
    "core/src/a/core/Base.java": "package a.core;\npublic abstract class Base<T> { protected int above = 7; T held;\n"
    "  int up() { return 1; } }",
    "core/src/a/core/Kinds.kt": "package a.core\nenum class Kind { A, B }\ndata class Pair(val left: String, val right: Int)\n",
    "web/src/a/core/Consts.java": "package a.core;\npublic class Consts { public static final int LIMIT = 99; }",
    "app/src/a/app/Service.java": "package a.app;\ninterface Service { int run(int x); }\n",
    "app/src/a/app/RealService.java": "package a.app;\n"
    "class RealService implements Service { public int run(int x) { return 3; } }",
    "app/src/a/app/Main.java": """
package a.app;
import a.core.*;
import static a.core.Consts.LIMIT;
import a.core.Consts.In;
import jakarta.validation.constraints.*;
import org.springframework.web.bind.annotation.*;
import java.util.List;
public class Main extends Base<String> {
    private static final String OWN = "own";
    private final Service service;
    private NotNull mark; private RestController web; private Kind kind; private Pair pair; private List<Pair> pairs;
    int go() { return service.run(1); }
    int over(int a) { return 1; }
    int over(int a, int b) { return 2; }
}
""",
}
VALUES = [("LIMIT", 40), ("Consts.LIMIT", 40), ("In.W", "w"), ("OWN", "own"), ("above", 7), ("Kind.A", "A")]
CLASSES = [("mark", "jakarta.validation.constraints.NotNull"), ("kind", "a.core.Kind"), ("pair", "a.core.Pair"),
           ("web", "org.springframework.web.bind.annotation.RestController"), ("pairs", "java.util.List"),
           ("service", "a.app.Service")]  # fmt: skip
METHODS = [("up", 0, "a.core.Base.up"), ("service.run", 1, "a.app.RealService.run"), ("over", 2, "a.app.Main.over")]


@pytest.fixture
def inside(workshop: Any) -> tuple[Program, Any]:
    """The names that a method of the main class sees."""
    root = workshop.write(FILES, None)
    language = next(x for x in LANGUAGES if x.front_end.language == "java")
    tree = find([root], language.front_end.suffixes, (), ())
    files = dict(tree.files)
    program = Program(files, lambda path: language.front_end.parse(path, files[path].read()), language.names(tree))
    scope = program.module_scope("app/src/a/app/Main.java")
    assert scope is not None
    main = scope.names["Main"][0]
    assert isinstance(main, n.Class)
    class_ = program.scope_of(main, scope)
    return program, program.scope_of(main.methods[0], class_)


@pytest.mark.parametrize(("name", "value"), VALUES)
def test_names_lead_to_their_value(name: str, value: object, inside: Any) -> None:
    program, scope = inside
    found = program.constant(java.expression(name, n.Span(1, 0, 0)), scope)
    assert found is not None
    assert found.value == value


@pytest.mark.parametrize(("name", "full"), CLASSES)
def test_types_lead_to_their_class(name: str, full: str, inside: Any) -> None:
    program, scope = inside
    made = program.class_of(program.resolve(n.Name(n.Span(1, 0, 0), name), scope))
    assert made is not None
    assert made.name == full


@pytest.mark.parametrize(("name", "count", "full"), METHODS)
def test_calls_lead_to_the_method_that_runs(name: str, count: int, full: str, inside: Any) -> None:
    program, scope = inside
    target = program.resolve(java.expression(name, n.Span(1, 0, 0)), scope)
    assert target is not None
    found = program.method(target, count)
    assert found.name == full
    assert len(found.node.params) == count
    assert found.node.body
