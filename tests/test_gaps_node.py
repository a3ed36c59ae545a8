"""Kinds of gap on small JavaScript services: what is found, and nothing beside it. Each faulty handler has a sound twin."""

import json
import textwrap
from typing import Any

import pytest

import mappu

HEAD = """
const express = require("express");
const { z } = require("zod");
const { Pool } = require("pg");
const pool = new Pool();
const rows = new Map();
const app = express();
app.use(express.json());
const text = (value) => typeof value === "string" && value.length <= 40;
const Pilot = z.object({ name: z.string().min(2).max(40), rank: z.number().int().min(1).max(9) });
app.post("/sound", (req, res) => {
  const pilot = Pilot.safeParse(req.body);
  if (!pilot.success) return res.status(422).end();
  rows.set("a", pilot.data);
  res.end();
});
"""

# name -> (source, gaps as (kind, method and path or None, place, field))
CASES: dict[str, tuple[str, set[tuple[str, str | None, str | None, str | None]]]] = {
    "bare-input": (
        """
        const fs = require("fs");
        const { exec } = require("child_process");
        app.get("/query", async (req, res) => {
          res.json(await pool.query("select * from t where n = '" + req.query.n + "'"));
        });
        app.get("/bound", async (req, res) => {
          if (!text(req.query.n)) return res.status(400).end();
          res.json(await pool.query("select * from t where n = $1", [req.query.n]));
        });
        app.get("/file", (req, res) => res.end(fs.readFileSync("/srv/" + req.query.name)));
        app.post("/command", (req, res) => { exec(`ls ${req.body?.folder}`); res.end(); });
        app.get("/header", (req, res) => { if (req.get("X-Team") === "a") res.end(); else res.end("b"); });
        app.get("/things/:id", async (req, res) => {
          const found = rows.get(req.params.id);
          if (!found) return res.status(404).end();
          res.json(found);
        });
        """,
        {
            ("bare-input", "GET /query", "query", "n"),
            ("bare-input", "GET /file", "query", "name"),
            ("bare-input", "POST /command", "body", "folder"),
        },
    ),
    "whole-write": (
        """
        app.put("/all", (req, res) => { rows.set("a", { ...req.body, at: Date.now() }); res.end(); });
        app.put("/some", (req, res) => {
          const { name } = req.body ?? {};
          if (!text(name)) return res.status(422).end();
          rows.set("a", { name, at: Date.now() });
          res.end();
        });
        """,
        {("whole-write", "PUT /all", "body", "*"), ("bare-input", "PUT /all", "body", "*")},
    ),
    "whole-write, what the schema made thrown away": (
        """
        const check = (schema, keep) => (req, res, next) => {
          const result = schema.safeParse(req.body);
          if (!result.success) return res.status(422).end();
          next();
        };
        const checkAndKeep = (schema) => (req, res, next) => {
          const result = schema.safeParse(req.body);
          if (!result.success) return res.status(422).end();
          req.body = result.data;
          next();
        };
        app.put("/raw", check(Pilot), (req, res) => { rows.set("a", req.body); res.end(); });
        app.put("/kept", checkAndKeep(Pilot), (req, res) => { rows.set("a", req.body); res.end(); });
        app.put("/closed", check(Pilot.strict()), (req, res) => { rows.set("a", req.body); res.end(); });
        app.put("/chosen", check(Pilot), (req, res) => { rows.set("a", { name: req.body.name }); res.end(); });
        """,
        {("whole-write", "PUT /raw", "body", "*")},
    ),
    "sibling-drift": (
        """
        const change = z.object({ name: z.string().max(40).optional(), rank: z.number().int().min(1).optional() });
        app.post("/pilots", (req, res) => {
          const pilot = Pilot.safeParse(req.body);
          if (!pilot.success) return res.status(422).end();
          res.end();
        });
        app.patch("/pilots/:id", (req, res) => {
          const pilot = change.safeParse(req.body);
          if (!pilot.success) return res.status(422).end();
          res.end();
        });
        app.put("/pilots/:id", (req, res) => {
          const pilot = Pilot.partial().safeParse(req.body);
          if (!pilot.success) return res.status(422).end();
          res.end();
        });
        """,
        {("sibling-drift", "PATCH /pilots/{id}", "body", "name"), ("sibling-drift", "PATCH /pilots/{id}", "body", "rank")},
    ),
    "no-stop": (
        """
        app.post("/on", (req, res) => {
          const { name } = req.body ?? {};
          if (!text(name)) res.status(422).end();
          rows.set("a", { name });
          res.end();
        });
        app.post("/off", (req, res) => {
          const { name } = req.body ?? {};
          if (!text(name)) { res.status(422).end(); } else { rows.set("a", { name }); res.end(); }
        });
        const loose = (req, res, next) => { if (!text(req.body?.name)) { res.status(422).end(); } next(); };
        app.post("/between", loose, (req, res) => { rows.set("a", { name: req.body?.name }); });
        """,
        {("no-stop", "POST /on", "body", "name"), ("no-stop", "POST /between", "body", "name")},
    ),
    "late-check": (
        """
        app.post("/late", (req, res) => {
          const { rank } = req.body ?? {};
          rows.set("a", { rank });
          if (rank > 9) return res.status(422).end();
          res.end();
        });
        app.post("/early", (req, res) => {
          const { rank } = req.body ?? {};
          if (!(rank >= 1 && rank <= 9)) return res.status(422).end();
          rows.set("a", { rank });
          res.end();
        });
        """,
        {("late-check", "POST /late", "body", "rank")},
    ),
    "ignored-outcome": (
        """
        app.post("/thrown-away", (req, res) => {
          Pilot.safeParse(req.body);
          rows.set("a", { name: req.body.name });
          res.end();
        });
        app.post("/gathered", (req, res) => {
          const errors = [];
          if (!text(req.body?.name)) errors.push("the name is odd");
          rows.set("a", { name: req.body?.name });
          res.end();
        });
        app.post("/answered", (req, res) => {
          const errors = [];
          if (!text(req.body?.name)) errors.push("the name is odd");
          if (errors.length > 0) return res.status(422).json({ errors });
          rows.set("a", { name: req.body.name });
          res.end();
        });
        """,
        {
            ("ignored-outcome", "POST /thrown-away", "body", "*"),
            ("ignored-outcome", "POST /gathered", "body", "name"),
        },
    ),
    "server-error": (
        """
        app.post("/thrown", (req, res) => {
          if (!text(req.body?.name)) throw new Error("name");
          rows.set("a", { name: req.body.name });
          res.end();
        });
        app.post("/parsed", (req, res) => { rows.set("a", Pilot.parse(req.body)); res.end(); });
        app.post("/with-status", (req, res) => {
          if (!text(req.body?.name)) throw Object.assign(new Error("name"), { status: 400 });
          rows.set("a", { name: req.body.name });
          res.end();
        });
        app.post("/no-body", (req, res) => {
          const { name } = req.body;
          if (!text(name)) return res.status(422).end();
          rows.set("a", { name });
          res.end();
        });
        """,
        {
            ("server-error", "POST /thrown", "body", "name"),
            ("server-error", "POST /parsed", "body", "*"),
            ("server-error", "POST /no-body", "body", "*"),
        },
    ),
    "untyped": (
        """
        app.post("/there", (req, res) => {
          const { note } = req.body ?? {};
          if (!note) return res.status(422).end();
          rows.set("a", { note });
          res.end();
        });
        """,
        {("untyped", "POST /there", "body", "note")},
    ),
    "shallow-check": (
        """
        const Crew = z.object({ members: z.array(z.any()).max(9), extra: z.object({ k: z.string().max(2) }) });
        app.post("/crew", (req, res) => {
          const crew = Crew.safeParse(req.body);
          if (!crew.success) return res.status(422).end();
          rows.set("a", crew.data);
          res.end();
        });
        """,
        {("shallow-check", "POST /crew", "body", "members")},
    ),
    "contradiction, weak-pattern, unused-rules": (
        """
        const Odd = z.object({ a: z.number().min(9).max(3), b: z.string().regex(/[a-z]{3}/).max(9) });
        app.post("/odd", (req, res) => {
          const odd = Odd.safeParse(req.body);
          if (!odd.success) return res.status(422).end();
          rows.set("a", { a: odd.data.a, b: odd.data.b });
          res.end();
        });
        const Forgotten = z.object({ a: z.string().max(4) });
        """,
        {
            ("contradiction", "POST /odd", "body", "a"),
            ("weak-pattern", "POST /odd", "body", "b"),
            ("unused-rules", None, None, None),
        },
    ),
    "unbounded": (
        """
        const Free = z.object({ a: z.string(), b: z.number(), c: z.array(z.string().max(3)), d: z.string().max(9) });
        app.post("/free", (req, res) => {
          const free = Free.safeParse(req.body);
          if (!free.success) return res.status(422).end();
          rows.set("a", free.data);
          res.end();
        });
        """,
        {("unbounded", "POST /free", "body", name) for name in ("a", "b", "c")},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_gaps(name: str, workshop: Any) -> None:
    source, expected = CASES[name]
    manifest = '{"name": "svc", "dependencies": {"express": "^5.0.0", "zod": "3", "pg": "8"}}'
    inventory = mappu.survey(workshop.write({"app.js": HEAD + textwrap.dedent(source), "package.json": manifest}, None))
    found = {(g.kind, g.endpoint and g.endpoint.removeprefix("svc "), g.place, g.field) for g in inventory.gaps}
    if name != "unbounded":
        found = {g for g in found if g[0] != "unbounded"}
    assert found == expected


# What brings the two decorators' inside to be looked at, and what is bound where: (the DTO's field, the parameter, the kinds).
NEST = [
    ("@IsString() @MaxLength(9) name: string;", "@Body() body: Dto", set()),
    ("@IsString() @MaxLength(9) name: string;", "@Body() body: Dto[]", {"idle-rules"}),
    ("@IsString() @MaxLength(9) name: string;", "@Body() body: Partial<Dto>", {"idle-rules"}),
    ("@IsString() @MaxLength(9) name: string;", "@Body() body: any", {"bare-input"}),
    ("@IsArray() @ArrayMaxSize(3) @ValidateNested({ each: true }) list: In[];", "@Body() body: Dto", {"shallow-check"}),
    ("@IsArray() @ArrayMaxSize(3) @Type(() => In) list: In[];", "@Body() body: Dto", {"shallow-check"}),
    ("@IsArray() @ArrayMaxSize(3) @ValidateNested({ each: true }) @Type(() => In) list: In[];", "@Body() body: Dto", set()),
    ("@IsInt() @Min(9) @Max(3) name: number;", "@Body() body: Dto", {"contradiction"}),
    ("@Matches(/[a-z]+/) @MaxLength(9) name: string;", "@Body() body: Dto", {"weak-pattern"}),
    ("@IsString() name: string;", "@Body() body: Dto", {"unbounded"}),
]  # fmt: skip


@pytest.mark.parametrize(("declared", "parameter", "kinds"), NEST)
def test_nest(declared: str, parameter: str, kinds: set[str], workshop: Any) -> None:
    source = f"""
    import {{ Body, Controller, Module, Post, ValidationPipe }} from "@nestjs/common";
    import {{ ArrayMaxSize, IsArray, IsInt, IsString, Matches, Max, MaxLength, Min, ValidateNested }} from "class-validator";
    import {{ Type }} from "class-transformer";
    export class In {{ @IsString() @MaxLength(3) k: string; }}
    export class Dto {{ {declared} }}
    @Controller("a")
    export class C {{ @Post() add({parameter}) {{ return body; }} }}
    app.useGlobalPipes(new ValidationPipe({{ whitelist: true }}));
    """
    wanted = ("@nestjs/common", "class-validator", "class-transformer")
    manifest = json.dumps({"name": "svc", "dependencies": dict.fromkeys(wanted, "1")})
    inventory = mappu.survey(workshop.write({"main.ts": source, "package.json": manifest}, None))
    assert {g.kind for g in inventory.gaps if g.kind != "unused-rules"} == kinds


@pytest.mark.parametrize(
    ("packages", "missing"),
    [("", {"class-validator", "class-transformer"}), (', "class-validator": "0"', {"class-transformer"})],
)
def test_missing_package(packages: str, missing: set[str], workshop: Any) -> None:
    source = """
    import { Body, Controller, Post, ValidationPipe } from "@nestjs/common";
    import { IsString, MaxLength } from "class-validator";
    class Dto { @IsString() @MaxLength(3) k: string; }
    @Controller("a")
    export class C { @Post() add(@Body(new ValidationPipe()) body: Dto) {} }
    """
    manifest = f'{{"name": "svc", "dependencies": {{"@nestjs/common": "11"{packages}}}}}'
    inventory = mappu.survey(workshop.write({"main.ts": source, "package.json": manifest}, None))
    assert {g.fix.split()[1] for g in inventory.gaps if g.kind == "missing-package"} == missing


LIMITS = (
    "const Body = z.object({ name: z.string().max(30), kind: z.string().max(9), n: z.number().max(4).optional() });"
)
# A library's table, how a row is written, and which fields may hold what their columns cannot.
TABLES = {
    "sequelize": (
        """
        const { Sequelize, DataTypes } = require("sequelize");
        const Row = new Sequelize("x").define("row", {
          name: { type: DataTypes.STRING(20), allowNull: false }, kind: { type: DataTypes.ENUM("a", "b") },
          n: { type: DataTypes.INTEGER, allowNull: false, defaultValue: 1 } });
        """,
        "Row.create(sent)",
        {"name", "kind"},
    ),
    "sequelize, wide enough": (
        """
        const { Sequelize, DataTypes } = require("sequelize");
        const Row = new Sequelize("x").define("row", { name: DataTypes.STRING, kind: DataTypes.STRING(9), n: DataTypes.INTEGER });
        """,
        "Row.create({ name: sent.name, kind: sent.kind, n: sent.n })",
        set(),
    ),
    "mongoose": (
        """
        const mongoose = require("mongoose");
        const schema = new mongoose.Schema({
          name: { type: String, required: true, maxlength: [10, "long"] }, n: { type: Number, required: true } });
        const Doc = mongoose.model("Doc", schema);
        """,
        "new Doc({ name: sent.name, n: sent.n }).save()",
        {"name", "n"},
    ),
    "drizzle": (
        """
        const { pgTable, varchar, pgEnum, integer } = require("drizzle-orm/pg-core");
        const { drizzle } = require("drizzle-orm/node-postgres");
        const kinds = pgEnum("kinds", ["a", "b"]);
        const table = pgTable("rows", {
          name: varchar("name", { length: 30 }).notNull(), kind: kinds("kind").notNull(), n: integer("n").notNull() });
        const db = drizzle("x");
        """,
        "db.insert(table).values(sent)",
        {"kind", "n"},
    ),
    "prisma": (
        'const { PrismaClient } = require("@prisma/client"); const prisma = new PrismaClient();',
        "prisma.row.create({ data: sent })",
        {"name", "n"},
    ),
    "typeorm": (
        """
        const { Column, Entity, Repository } = require("typeorm");
        @Entity() class Row {
          @Column({ length: 20 }) name: string;
          @Column("enum", { enum: ["a", "b"] }) kind: string;
          @Column({ nullable: true }) n: number;
        }
        const rows2: Repository<Row> = source.getRepository(Row);
        """,
        "rows2.save({ name: sent.name, kind: sent.kind, n: sent.n })",
        {"name", "kind"},
    ),
}
PRISMA = """
datasource db { provider = "postgresql" }
model Row {
  id   Int     @id @default(autoincrement()) // not sent
  name String  @db.VarChar(20)
  kind String?
  n    Int
}
"""


@pytest.mark.parametrize("name", TABLES)
def test_columns(name: str, workshop: Any) -> None:
    declared, write, expected = TABLES[name]
    source = f"""{HEAD}{LIMITS}{textwrap.dedent(declared)}
    app.post("/rows", async (req, res) => {{
      const checked = Body.safeParse(req.body);
      if (!checked.success) return res.status(422).end();
      const sent = checked.data;
      await {write};
      res.end();
    }});
    """
    wanted = ("express", "zod", "pg", "sequelize", "mongoose", "drizzle-orm", "@prisma/client", "typeorm")
    manifest = json.dumps({"name": "svc", "dependencies": dict.fromkeys(wanted, "5")})
    files = {"app.ts": source, "package.json": manifest, "prisma/schema.prisma": PRISMA}
    inventory = mappu.survey(workshop.write(files, None))
    assert {g.field for g in inventory.gaps if g.kind == "storage-drift"} == expected
    assert {g.kind for g in inventory.gaps} <= {"storage-drift", "unbounded"}
