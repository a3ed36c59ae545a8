"""JavaScript and TypeScript lowered to the neutral tree, and names followed across their files."""

from typing import Any

import pytest

from mappu.pipeline.languages import LANGUAGES
from mappu.sources.walk import find
from mappu.symbols.program import Program
from mappu.syntax import javascript
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from neutral_tree import shown

LOWERED = [
    ("const { a, b: c = 1, ...rest } = req.body as T;", "{'a': a, 'b': c := 1, ...: rest} = req.body"),
    ("const f = async ({ body }, res) => body.x;", "async function f({ body }, res) {{'body': body} = { body }; return body.x}"),
    ("if (a?.b !== undefined && typeof c === 'undefined') return;", "if (not absent a?.b and absent c) [return] []"),
    ("if (x === null || y == null) throw new E('no');", "if ((x is None) or (y == None)) [raise E('no')] []"),
    ("x = /^a\\d+$/i.test(y) ? `n${y}` : -1;", "x = (RegExp('^a\\\\d+$', 'i').test(y) ? text('n', y) : -1)"),
    ("app.use('/x', require('./x')(app));", "import ./x#None as require(./x); app.use('/x', require(./x)(app))"),
    ("module.exports = { a, b() {} }; exports.c = 1;", "export = = {'a': a, 'b': function b() {}}; export c = 1"),
    ("export default function go() {}", "function go() {}; export default = go"),
    ("export { a as b } from './q'; export * from './z';", "import ./q#a as export:b; export b = export:b; import ./z#* as *"),
    (
        "import type { A } from 'a'; import D, * as ns from 'b';",
        "import type a#A as A; import b#default as D; import b#None as ns",
    ),
    ("for (const k in o) {} for (const v of o) f(v);", "for k in Object.keys(o) []; for v in o [f(v)]"),
    ("switch (m) { case 'a': case 'b': f(); break; default: g() }", "switch m [[\"'a'\", \"'b'\"]: f(); []: g()]"),
    (
        "try { a() } catch (e) { if (e instanceof Z) { return 4 } throw e }",
        "try [a()] catch [['Z']: return 4; []: raise e]",
    ),
    (
        "enum C { A = 'x', B = 'y' } interface I extends J { k?: string }",
        "enum C {A = 'x'; B = 'y'}; interface I < J {k: (string | undefined)}",
    ),
    (
        "class D extends B { @IsInt() n: number; constructor(private s: S) { super() } go = () => 1; }",
        "class D < B {@IsInt() n: number; s: S; function constructor(s) {super()}; function go() {return 1}}",
    ),
    ("type T = Array<A | B>; let p = a ?? b;", "type T = Array[(A | B)]; p = (a or b)"),
    ("tag`a${b}`; delete o.k; x += 1;", "tag('a', b); del o.k; x = 1"),
]  # fmt: skip


@pytest.mark.parametrize(("source", "expected"), LOWERED)
def test_lowered(source: str, expected: str) -> None:
    module = javascript.parse("x.ts", source.encode())
    assert not module.damage
    assert "; ".join(map(shown, module.body)) == expected


FILES = {
    "package.json": '{"name": "root"}',
    "tsconfig.json": '{ "compilerOptions": { "baseUrl": ".", "paths": { "@app/*": ["src/*"], }, } } // trailing commas',
    "packages/shared/package.json": '{"name": "@org/shared", "main": "dist/index.js"}',
    "packages/shared/src/index.ts": "export const LIMIT = 40;\nexport { deep as nested } from './deep';",
    "packages/shared/src/deep.ts": "export const deep = 'deep';",
    "src/lib/index.ts": "export * from './values';\nexport { default as Main } from './main';",
    "src/lib/values.ts": "export const WORD = 'word';\nexport enum Kind { A = 'a', B = 'b' }",
    "src/lib/main.ts": "export default class Main { go() { return 1 } }",
    "src/old.js": """
const WORD = 'old';
function run() {}
module.exports = { WORD, run, inner: { k: 3 } };
module.exports.late = 'late';
""",
    "src/one.js": "exports.one = 1;",
    "src/built.ts": "export const from = 'source';",
    "src/built.js": "exports.from = 'compiled';",
    "src/app.ts": """
import { WORD, Kind, Main } from '@app/lib';
import * as lib from './lib';
import { LIMIT, nested } from '@org/shared';
import old, { WORD as OLD } from './old';
import { from } from './built';
const { one } = require('./one');
const { run, late } = require('./old');
const picked = lib.WORD;
const main = new Main();
const go = main.go.bind(main);
const deep = old.inner.k;
""",
}
NAMES: list[tuple[str, object]] = [
    ("WORD", "word"), ("Kind.B", "b"), ("lib.WORD", "word"), ("picked", "word"), ("LIMIT", 40), ("nested", "deep"),
    ("OLD", "old"), ("one", 1), ("late", "late"), ("from", "source"),
]  # fmt: skip
FUNCTIONS = [("run", "run"), ("old.run", "run"), ("main.go", "go"), ("go", "go"), ("lib.Main", "Main")]


@pytest.fixture
def program(workshop: Any) -> Program:
    root = workshop.write(FILES, None)
    language = next(x for x in LANGUAGES if x.front_end.language == "javascript")
    tree = find([root], (*language.front_end.suffixes, "package.json", "tsconfig.json"), (), ())
    finder = language.names(tree)
    own = {p: tree.files[p] for p in finder.own_files(p for p in tree.files if not p.endswith(".json"))}
    assert "src/built.js" not in own
    return Program(dict(own), lambda path: javascript.parse(path, own[path].read()), finder)


@pytest.mark.parametrize(("name", "value"), NAMES)
def test_names_lead_to_their_value(name: str, value: object, program: Program) -> None:
    scope = program.module_scope("src/app.ts")
    assert scope is not None
    found = program.constant(javascript.expression(name, n.Span(1, 0, 0)), scope)
    assert found is not None
    assert found.value == value


@pytest.mark.parametrize(("name", "leads_to"), FUNCTIONS)
def test_names_lead_to_functions_and_classes(name: str, leads_to: str, program: Program) -> None:
    scope = program.module_scope("src/app.ts")
    assert scope is not None
    expr = javascript.expression(name, n.Span(1, 0, 0))
    assert dotted(expr) == name
    target = program.resolve(expr, scope)
    assert target is not None
    assert isinstance(target.node, n.Function | n.Class)
    assert target.node.name == leads_to
