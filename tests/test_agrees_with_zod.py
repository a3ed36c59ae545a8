"""Schemas in zod: the fields, types and limits that Mappu reads are those of the library's own JSON Schema."""

import json
import os
import subprocess
from typing import Any

import pytest

import mappu
from conftest import endpoint
from openapi import KINDS, flatten
from running_node import MODULES, missing

# name -> what stands in front of the schema, and the fields of the body
CASES: dict[str, tuple[str, str]] = {
    "text": (
        "",
        """
        a: z.string(), b: z.string().min(2).max(9), c: z.string().length(4), d: z.string().regex(/^a+$/),
        e: z.string().startsWith('x').optional(), f: z.string().nonempty().nullable(), g: z.string().trim().toLowerCase(),
        """,
    ),
    "formats": (
        "",
        """
        a: z.string().email(), b: z.string().uuid(), c: z.string().url(), d: z.string().datetime(), e: z.string().date(),
        f: z.email(), g: z.uuid(), h: z.ipv4(), i: z.iso.date(), j: z.string().base64(), k: z.iso.datetime(),
        """,
    ),
    "numbers": (
        "",
        """
        a: z.number(), b: z.number().int().min(1).max(9), c: z.number().gt(0).lt(1), d: z.number().positive(),
        e: z.number().nonnegative(), f: z.number().multipleOf(5), g: z.int(), h: z.coerce.number().max(3), i: z.boolean(),
        """,
    ),
    "choices": (
        """
        const A = { X: 'x', Y: 'y' } as const;
        enum E { One = 'one', Two = 'two' }
        const LIST = ['p', 'q'] as const;
        """,
        """
        a: z.enum(['x', 'y']), b: z.literal('z'), c: z.nativeEnum(A), d: z.nativeEnum(E), e: z.enum(LIST),
        f: z.union([z.literal('a'), z.literal('b')]),
        """,
    ),
    "lists": (
        "",
        """
        a: z.array(z.string().max(3)), b: z.array(z.number()).min(1).max(4), c: z.string().array().optional(),
        d: z.array(z.object({ k: z.string() })).nonempty(), e: z.array(z.array(z.boolean())).length(2),
        """,
    ),
    "left out, null, defaults": (
        "",
        """
        a: z.string().optional(), b: z.string().nullable(), c: z.string().nullish(), d: z.string().default('x'),
        e: z.optional(z.number()), f: z.nullable(z.number()),
        """,
    ),
    "composed": (
        """
        const Base = z.object({ a: z.string().max(5), b: z.number(), c: z.boolean() });
        const More = Base.extend({ d: z.string().min(1) }).omit({ c: true });
        const Some = More.pick({ a: true, d: true });
        """,
        """
        base: Base, more: More, some: Some, part: Base.partial(), one: Base.partial({ a: true }),
        all: Base.partial().required(), both: Base.merge(z.object({ z: z.string() })), shaped: z.object({ ...Base.shape }),
        """,
    ),
    "maps and unions of objects": (
        "",
        """
        a: z.record(z.string(), z.number().max(3)), b: z.union([z.string(), z.boolean()]),
        c: z.object({ x: z.object({ y: z.string().max(2) }) }),
        """,
    ),
    "made by a function, behind names": (
        """
        const limited = () => z.string().max(7);
        const inner = z.object({ k: limited() });
        """,
        "a: limited(), b: inner, c: inner.shape.k, d: inner.array(),",
    ),
    "described, branded": ("", "a: z.string().max(4).describe('x').brand(), b: z.number().readonly(),"),
}

_SCRIPT = """
const { z } = require("zod4");
const cases = require("./cases");
const out = {};
for (const [name, schema] of Object.entries(cases)) out[name] = z.toJSONSchema(schema, { io: "input", unrepresentable: "any" });
console.log(JSON.stringify(out));
"""
# Limits that the document adds by itself: the safe range of whole numbers, and the pattern behind a format.
_SAFE = 9007199254740991


@pytest.fixture(scope="module")
def documents(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """What the library itself says of every case."""
    reason = missing()
    if reason is not None:
        pytest.skip(reason)
    folder = tmp_path_factory.mktemp("zod")
    bodies = "\n".join(
        f'{{ const made = (() => {{ {before}\nreturn z.object({{ {schema} }}); }})(); exports["{name}"] = made; }}'
        for name, (before, schema) in CASES.items()
    )
    (folder / "cases.ts").write_text('const { z } = require("zod4");\n' + bodies)
    (folder / "run.js").write_text(_SCRIPT)
    command = ["node", "-r", str(MODULES.parent / "typescript.cjs"), "run.js"]
    done = subprocess.run(
        command, cwd=folder, env=os.environ | {"NODE_PATH": str(MODULES)}, capture_output=True, text=True, check=False
    )
    assert done.returncode == 0, done.stderr
    return dict(json.loads(done.stdout))


@pytest.mark.parametrize("name", CASES)
def test_agrees(name: str, documents: dict[str, Any], workshop: Any) -> None:
    before, schema = CASES[name]
    source = f"""
import express from "express";
import {{ z }} from "zod";
{before}
const Body = z.object({{ {schema} }});
const app = express();
app.use(express.json());
app.post("/a", (req, res) => {{
  const result = Body.safeParse(req.body);
  if (!result.success) return res.status(422).json(result.error);
  res.json(result.data);
}});
"""
    manifest = '{"name": "svc", "dependencies": {"express": "5", "zod": "4"}}'
    workshop.write({"app.ts": source, "package.json": manifest}, None)
    said = endpoint(mappu.survey(workshop.root), "POST /a")
    found = {
        f.path: (
            f.type,
            f.required,
            f.nullable,
            frozenset((c.kind, _plain(c.value)) for c in f.constraints if c.kind in KINDS),
        )
        for f in said.fields
    }
    document = {
        "paths": {"/a": {"post": {"requestBody": {"content": {"application/json": {"schema": documents[name]}}}}}}
    }
    wanted = {
        key[3]: (t, r, x, _without(limits)) for key, (t, r, x, limits) in flatten(document).items() if key[3] != "*"
    }
    assert found == wanted


def _plain(value: Any) -> Any:
    return tuple(value) if isinstance(value, list) else value


def _without(limits: frozenset[tuple[str, Any]]) -> frozenset[tuple[str, Any]]:
    """The limits without what the document adds by itself; a pattern that ends in anything is open there."""
    formats = any(kind == "format" for kind, _ in limits)
    found = set()
    for kind, value in limits:
        if abs(value if isinstance(value, int) else 0) == _SAFE or (formats and kind == "pattern"):
            continue
        found.add((kind, value.removesuffix(".*") if kind == "pattern" else _plain(value)))
    return frozenset(found)
