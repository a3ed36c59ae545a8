"""What JavaScript handlers take: places, names and standings, however the request is read."""

import json
import textwrap
from typing import Any

import pytest

import mappu

HEAD = """
const express = require("express");
const app = express();
app.use(express.json());
"""
# name -> (packages, files, the fields of the first endpoint as "place path standing", `!` where it must be sent)
CASES: dict[str, tuple[tuple[str, ...], dict[str, str], set[str]]] = {
    "express: every place": (
        ("express",),
        {
            "app.js": HEAD
            + """
            app.post("/a/:id/:kind(\\\\w+)", (req, res) => {
              const { page = "1" } = req.query;
              const team = req.get("X-Team");
              const lang = req.headers["X-Lang"];
              save(req.params.id, req.cookies.theme, page, team, lang, req.body.vessel.beam);
              res.end();
            });
            """
        },
        {"path id! bare", "path kind! enforced", "query page unknown", "header x-team unknown", "header x-lang unknown",
         "cookie theme unknown", "body vessel.beam unknown", "body vessel bare"},
    ),
    "express: handed to helpers and classes": (
        ("express", "pg"),
        {
            "app.js": HEAD
            + """
            const { Items } = require("./items");
            const items = new Items();
            app.post("/a", (req, res) => items.add(req, res));
            """,
            "items.js": """
            const { Pool } = require("pg");
            class Items {
              constructor() { this.pool = new Pool(); }
              add(req, res) {
                const { name, ...others } = req.body ?? {};
                if (!this.fine(name)) return res.status(422).end();
                this.pool.query("insert into t values ($1)", [name]);
                res.end();
              }
              fine(name) { return typeof name === "string" && name.length <= 9; }
            }
            module.exports = { Items };
            """,
        },
        {"body name! enforced"},
    ),
    "express: a schema by part, and a file": (
        ("express", "celebrate", "multer"),
        {
            "app.js": HEAD
            + """
            const { celebrate, Joi, Segments } = require("celebrate");
            const multer = require("multer");
            const upload = multer({ dest: "files" });
            const rules = {
              [Segments.BODY]: Joi.object({ name: Joi.string().max(9).required() }),
              [Segments.QUERY]: Joi.object({ page: Joi.number().max(9) }),
            };
            app.post("/a", upload.single("photo"), celebrate(rules), (req, res) => {
              if (!req.file) return res.status(422).end();
              res.end();
            });
            """
        },
        {"form photo! shape-only", "form name! enforced", "query page enforced"},
    ),
    "express: types that name fields": (
        ("express", "zod"),
        {
            "app.ts": HEAD
            + """
            import { Request } from "express";
            import { Change, Item } from "./types";
            import { z } from "zod";
            app.post("/a", (req: Request<{}, {}, Item, { page: number }>, res) => {
              const { name } = req.body ?? {};
              if (typeof name !== "string" || name.length > 9) return res.status(422).end();
              res.json(name);
            });
            app.post("/b", (req, res) => { const change = req.body as Change; res.json(change?.extra); });
            app.post("/c", (req, res) => { const all: Omit<Item, "place" | "id"> = req.body; res.json(all?.tags); });
            app.post("/d", (req, res) => { save(req.body); res.end(); });
            app.post("/e", (req, res) => {
              const checked = z.object({ name: z.string().max(9) }).parse(req.body) as Item;
              save(checked);
            });
            app.post("/f", (req, res) => { const any = req.body as unknown; res.json(String(any)); });
            function save(item: Item | undefined) { return item; }
            """,
            "types.ts": """
            interface Base { id: string }
            export interface Item extends Base { name: string; place?: { quay: string; item: Item }; tags: string[] }
            export type Change = Partial<Pick<Item, "name">> & { extra: number };
            """,
        },
        {"a: body id bare", "a: body name! enforced", "a: body place bare", "a: body place.quay bare",
         "a: body place.item bare", "a: body tags bare", "a: query page bare", "b: body extra bare", "b: body name bare",
         "c: body name bare", "c: body tags bare", "d: body id bare", "d: body name bare", "d: body place bare",
         "d: body place.quay bare", "d: body place.item bare", "d: body tags bare", "e: body name leaky", "f: body * bare"},
    ),
    "express: middleware leaves something on the request": (
        ("express", "zod"),
        {
            "app.js": HEAD
            + """
            const { z } = require("zod");
            const parts = { body: z.object({ name: z.string().max(9) }), query: z.object({ page: z.coerce.number().max(9) }) };
            const check = (schemas) => (req, res, next) => {
              try {
                req.body = schemas.body.parse(req.body);
                req.checkedQuery = schemas.query.parse(req.query);
                next();
              } catch (error) {
                res.status(422).json({ error });
              }
            };
            app.post("/a", check(parts), (req, res) => { rows.push(req.body.name, req.checkedQuery.page); res.end(); });
            const rows = [];
            """
        },
        {"body name! enforced", "query page! enforced"},
    ),
    "nest: parameters one by one": (
        ("@nestjs/common",),
        {
            "c.ts": """
            import { Body, Controller, DefaultValuePipe, Headers, Param, ParseBoolPipe, ParseEnumPipe, ParseIntPipe,
              ParseUUIDPipe, Post, Query } from "@nestjs/common";
            enum Kind { A = "a", B = "b" }
            @Controller("a") export class C {
              @Post(":id/:key/:free")
              add(@Param("id", ParseUUIDPipe) id: string, @Param("key", ParseIntPipe) key: number, @Param("free") free: string,
                @Query("page", new DefaultValuePipe(1), ParseIntPipe) page: number,
                @Query("kind", new ParseEnumPipe(Kind)) kind: Kind,
                @Query("on", new ParseBoolPipe({ optional: true })) on: boolean, @Headers("X-Team") team: string,
                @Body("name") name: string) { return [id, key, free, page, kind, on, team, name]; }
            }
            """
        },
        {"path id! enforced", "path key! shape-only", "path free! bare", "query page shape-only", "query kind! enforced",
         "query on enforced", "header x-team bare", "body name bare"},
    ),
    "nest: models in every place, inherited and mapped": (
        ("@nestjs/common", "class-validator", "class-transformer"),
        {
            "c.ts": """
            import { Body, Controller, Param, Put, Query, ValidationPipe } from "@nestjs/common";
            import { IntersectionType, OmitType } from "@nestjs/mapped-types";
            import { IsInt, IsOptional, IsString, IsUUID, Max, MaxLength } from "class-validator";
            class Base { @IsString() @MaxLength(9) name: string; @IsInt() @Max(9) rank: number; plain: string; }
            class More { @IsOptional() @IsString() @MaxLength(9) note?: string; }
            class Both extends IntersectionType(OmitType(Base, ["rank"] as const), More) {}
            class Key { @IsUUID() id: string; }
            class Page { @IsOptional() @IsInt() @Max(9) page: number = 1; }
            @Controller("a") export class C {
              @Put(":id") put(@Param() key: Key, @Query() page: Page, @Body() both: Both) { return [key, page, both]; }
            }
            app.useGlobalPipes(new ValidationPipe({ whitelist: true }));
            """
        },
        {"path id! enforced", "query page enforced", "body name! enforced", "body note enforced"},
    ),
    "next: a route handler": (
        ("next",),
        {
            "app/api/things/[id]/route.ts": """
            export async function POST(request: Request, { params }: { params: Promise<{ id: string }> }) {
              const { id } = await params;
              const { searchParams } = new URL(request.url);
              const page = searchParams.get("page");
              const body = await request.json().catch(() => ({}));
              if (typeof body.name !== "string" || body.name.length > 9) return new Response(null, { status: 422 });
              return Response.json({ id, page, name: body.name });
            }
            """
        },
        {"path id! bare", "query page bare", "body name! enforced"},
    ),
    "next: an action, its form and its arguments": (
        ("next", "zod"),
        {
            "app/actions.ts": """
            "use server";
            import { z } from "zod";
            const Form = z.object({ name: z.string().max(9), note: z.string().max(9).nullable() });
            export async function save(id: number, prevState: unknown, formData: FormData) {
              if (!Number.isInteger(id) || id > 9) return { error: "id" };
              const parsed = Form.safeParse({ name: formData.get("name"), note: formData.get("note") });
              if (!parsed.success) return { errors: parsed.error.issues };
              return { ok: true };
            }
            """
        },
        {"body id! enforced", "form name! enforced", "form note! enforced"},
    ),
    "hono and its context": (
        ("hono",),
        {
            "app.ts": """
            import { Hono } from "hono";
            const app = new Hono();
            app.post("/a/:id", async (c) => {
              const page = c.req.query("page");
              const { name } = await c.req.json();
              if (typeof name !== "string" || name.length > 9) return c.json({}, 422);
              return c.json({ id: c.req.param("id"), page, name });
            });
            """
        },
        {"path id! bare", "query page bare", "body name! enforced"},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_fields(name: str, workshop: Any) -> None:
    packages, files, expected = CASES[name]
    manifest = json.dumps({"name": "svc", "dependencies": dict.fromkeys(packages, "*")})
    workshop.write({k: textwrap.dedent(v) for k, v in files.items()} | {"package.json": manifest}, None)
    found = mappu.survey(workshop.root).endpoints
    said = [(f"{e.path[1:]}: " if len(found) > 1 else "", f) for e in found for f in e.fields]
    assert {f"{at}{f.place} {f.path}{'!' if f.required else ''} {f.standing}" for at, f in said} == expected
