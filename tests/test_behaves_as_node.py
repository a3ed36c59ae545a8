"""What Mappu says of a JavaScript service and what the running framework does are the same.

Each case is a small service with a request that is accepted, and requests that break one thing. Mappu's word for that one
thing is held against what happened: `runs` is a 4xx with nothing stored, `breaks` a 5xx with nothing stored, `leaks`, `idle`
and nothing at all are stored. Leaving out each field of the accepted body is tried as well, against `required`.
"""

import textwrap
from typing import Any

import pytest

import mappu
from conftest import endpoint, field
from mappu.inventory.model import Endpoint
from running_node import DB, Running, missing, running

EXPRESS = """
const express = require("express");
const { db } = require("./db");
const app = express();
app.use(express.json());
"""
LISTEN = "\napp.listen(process.env.PORT);\n"
OK = {"name": "Ada", "rank": 3}

# name -> (manifest, source, endpoint, accepted body, [(changes to the body, the field and kind of limit they break)])
Case = tuple[dict[str, str], str, str, dict[str, Any], list[tuple[dict[str, Any], tuple[str, str]]]]

CASES: dict[str, Case] = {
    "guards by hand": (
        {"express": "5"},
        """
        app.post("/a", (req, res) => {
          const { name, rank, colour, tags } = req.body ?? {};
          if (!name) return res.status(400).end();
          if (typeof name !== "string" || name.length < 2 || name.length > 5) return res.status(422).json({});
          if (!Number.isInteger(rank) || rank < 1 || rank > 9) { res.status(422).end(); return; }
          if (colour !== undefined && !["red", "blue"].includes(colour)) return res.sendStatus(400);
          if (!Array.isArray(tags) || tags.length > 2) { return res.status(400).end(); }
          db.rows.insert({ name, rank, colour, tags });
          res.status(201).end();
        });
        """,
        "POST /a",
        OK | {"tags": []},
        [({"name": 7}, ("name", "type")), ({"name": "A"}, ("name", "minLength")), ({"name": "Adalind"}, ("name", "maxLength")),
         ({"rank": 0}, ("rank", "minimum")), ({"rank": 10}, ("rank", "maximum")), ({"rank": "3"}, ("rank", "type")),
         ({"colour": "pink"}, ("colour", "enum")), ({"tags": [1, 2, 3]}, ("tags", "maxItems")),
         ({"tags": "no"}, ("tags", "type"))],
    ),
    "patterns, conversions, switches": (
        {"express": "5"},
        """
        const CODE = /^[A-Z]{2}\\d+$/;
        const LEVELS = new Set(["low", "high"]);
        app.post("/a", (req, res) => {
          const { code, level, kind } = req.body ?? {};
          const size = Number(req.body?.size);
          if (!CODE.test(code)) return res.status(422).end();
          if (!LEVELS.has(level)) return res.status(422).end();
          if (isNaN(size) || size <= 0) return res.status(422).end();
          switch (kind) {
            case "a": case "b": break;
            default: return res.status(422).end();
          }
          db.rows.insert({ code, level, size });
          res.end();
        });
        """,
        "POST /a",
        {"code": "AB1", "level": "low", "size": 4, "kind": "a"},
        [({"code": "ab1"}, ("code", "pattern")), ({"level": "mid"}, ("level", "enum")),
         ({"size": 0}, ("size", "exclusiveMinimum")), ({"size": "x"}, ("size", "type")), ({"kind": "c"}, ("kind", "enum"))],
    ),
    "an answer without leaving": (
        {"express": "5"},
        """
        app.post("/a", (req, res) => {
          const { name, rank } = req.body ?? {};
          if (typeof name !== "string") res.status(400).end();
          if (typeof rank !== "number") { res.status(400).end(); return; }
          db.rows.insert({ name, rank });
          if (!res.headersSent) res.end();
        });
        """,
        "POST /a",
        OK,
        [({"name": 1}, ("name", "type")), ({"rank": "x"}, ("rank", "type"))],
    ),
    "an answer in one arm of two": (
        {"express": "5"},
        """
        app.post("/a", (req, res) => {
          if (typeof req.body?.name !== "string") {
            res.status(400).end();
          } else {
            db.rows.insert({ name: req.body.name });
            res.end();
          }
        });
        """,
        "POST /a",
        {"name": "Ada"},
        [({"name": 1}, ("name", "type"))],
    ),
    "checked after it was stored": (
        {"express": "5"},
        """
        app.post("/a", (req, res) => {
          const { rank } = req.body ?? {};
          db.rows.insert({ rank });
          if (rank > 9) return res.status(422).end();
          res.end();
        });
        """,
        "POST /a",
        {"rank": 3},
        [({"rank": 10}, ("rank", "maximum"))],
    ),
    "middleware, router parameters, all": (
        {"express": "5"},
        """
        const router = express.Router();
        const named = (req, res, next) => {
          if (typeof req.body?.name !== "string") return res.status(422).end();
          next();
        };
        router.param("id", (req, res, next, id) => /^\\d+$/.test(id) ? next() : res.status(404).end());
        router.route("/:id").all((req, res, next) => {
          if (req.body.rank > 9) return res.status(422).end();
          next();
        }).post(named, (req, res) => { db.rows.insert({ name: req.body.name, rank: req.body.rank }); res.end(); });
        app.use("/a", router);
        """,
        "POST /a/{id}",
        OK,
        [({"name": 1}, ("name", "type")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "errors handed on and mapped": (
        {"express": "5"},
        """
        class Refused extends Error { constructor(message, status = 422) { super(message); this.status = status; } }
        const wrap = (fn) => (req, res, next) => Promise.resolve(fn(req, res, next)).catch(next);
        app.post("/a", wrap(async (req, res, next) => {
          const { name, rank, code } = req.body ?? {};
          if (typeof name !== "string") throw new Refused("name", 400);
          if (typeof rank !== "number") return next(new Refused("rank"));
          if (code === "x") throw new Error("code");
          db.rows.insert({ name, rank });
          res.end();
        }));
        app.use((err, req, res, next) => {
          if (err instanceof Refused) return res.status(err.status).end();
          res.status(500).end();
        });
        """,
        "POST /a",
        OK,
        [({"name": 1}, ("name", "type")), ({"rank": "x"}, ("rank", "type")), ({"code": "x"}, ("code", "custom"))],
    ),
    "version 4 loses what an async function throws": (
        {"express": "4"},
        """
        process.on("unhandledRejection", () => {});
        app.post("/a", async (req, res) => {
          if (typeof req.body.name !== "string") throw Object.assign(new Error("name"), { status: 400 });
          db.rows.insert({ name: req.body.name });
          res.end();
        });
        """,
        "POST /a",
        {"name": "Ada"},
        [({"name": 1}, ("name", "type"))],
    ),
    "a helper's verdict": (
        {"express": "5"},
        """
        const fine = (text, most) => typeof text === "string" && text.length <= most;
        function answered(req, res) {
          if (req.body.rank > 9) { res.status(422).end(); return true; }
          return false;
        }
        app.post("/a", (req, res) => {
          if (!req.body) return res.status(400).end();
          if (!fine(req.body.name, 5)) return res.status(422).end();
          if (answered(req, res)) return;
          db.rows.insert({ name: req.body.name, rank: req.body.rank });
          res.end();
        });
        """,
        "POST /a",
        OK,
        [({"name": "Adalind"}, ("name", "maxLength")), ({"name": 1}, ("name", "type")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "zod: a factory's middleware": (
        {"express": "5", "zod": "3"},
        """
        const { z } = require("zod");
        const Pilot = z.object({
          name: z.string().min(2).max(5), rank: z.number().int().min(1).max(9), colour: z.enum(["red", "blue"]).optional(),
          tags: z.array(z.string().max(3)).max(2).default([]), mail: z.string().email().nullable(),
          home: z.object({ quay: z.string().regex(/^[A-F]\\d$/) }),
        });
        const validate = (schema) => (req, res, next) => {
          const result = schema.safeParse(req.body);
          if (!result.success) return res.status(422).json(result.error);
          req.body = result.data;
          next();
        };
        app.post("/a", validate(Pilot), (req, res) => { db.rows.insert(req.body); res.end(); });
        """,
        "POST /a",
        OK | {"mail": None, "home": {"quay": "A1"}},
        [({"name": "A"}, ("name", "minLength")), ({"rank": 10}, ("rank", "maximum")), ({"colour": "pink"}, ("colour", "enum")),
         ({"tags": ["a", "b", "c"]}, ("tags", "maxItems")), ({"tags": ["abcd"]}, ("tags[]", "maxLength")),
         ({"mail": "no"}, ("mail", "format")), ({"home": {"quay": "Z"}}, ("home.quay", "pattern"))],
    ),
    "zod: thrown, and nobody answers": (
        {"express": "5", "zod": "3"},
        """
        const { z } = require("zod");
        app.post("/a", (req, res) => {
          const row = z.object({ name: z.string().max(5) }).parse(req.body);
          db.rows.insert(row);
          res.end();
        });
        """,
        "POST /a",
        {"name": "Ada"},
        [({"name": "Adalind"}, ("name", "maxLength"))],
    ),
    "zod: thrown and mapped, another library's is not": (
        {"express": "5", "zod": "3", "joi": "17"},
        """
        const { z, ZodError } = require("zod");
        const Joi = require("joi");
        app.post("/a", async (req, res) => {
          const row = z.object({ name: z.string().max(5), rank: z.any() }).parse(req.body);
          await Joi.object({ name: Joi.any(), rank: Joi.number().max(9).required() }).validateAsync(req.body);
          db.rows.insert(row);
          res.end();
        });
        app.use((err, req, res, next) => {
          if (err instanceof ZodError) return res.status(400).end();
          res.status(500).end();
        });
        """,
        "POST /a",
        OK,
        [({"name": "Adalind"}, ("name", "maxLength"))],
    ),
    "zod: nobody looks, or only logs": (
        {"express": "5", "zod": "3"},
        """
        const { z } = require("zod");
        app.post("/a", (req, res) => {
          const result = z.object({ name: z.string().max(5) }).safeParse(req.body);
          if (!result.success) console.warn(result.error);
          db.rows.insert(req.body);
          res.end();
        });
        """,
        "POST /a",
        {"name": "Ada"},
        [({"name": "Adalind"}, ("name", "maxLength"))],
    ),
    "zod: caught and passed over": (
        {"express": "5", "zod": "3"},
        """
        const { z } = require("zod");
        app.post("/a", (req, res) => {
          try { z.object({ name: z.string().max(5) }).parse(req.body); } catch (e) { console.log(e.message); }
          db.rows.insert({ name: req.body.name });
          res.end();
        });
        """,
        "POST /a",
        {"name": "Ada"},
        [({"name": "Adalind"}, ("name", "maxLength"))],
    ),
    "joi, yup and ajv": (
        {"express": "5", "joi": "17", "yup": "1", "ajv": "8"},
        """
        const Joi = require("joi");
        const yup = require("yup");
        const Ajv = require("ajv");
        const sized = { type: "object", properties: { size: { type: "integer", maximum: 9 } }, required: ["size"] };
        const check = new Ajv().compile(sized);
        const rank = Joi.number().integer().min(1).required();
        const schema = Joi.object({ name: Joi.string().max(5).required(), rank }).unknown();
        app.post("/a", async (req, res) => {
          const { error, value } = schema.validate(req.body);
          if (error) return res.status(422).json({ error: error.message });
          if (!check(req.body)) return res.status(422).json(check.errors);
          const { note } = req.body;
          try {
            await yup.object({ note: yup.string().max(3).required() }).validate({ note });
          } catch (e) { return res.status(422).end(); }
          db.rows.insert(value);
          res.end();
        });
        """,
        "POST /a",
        OK | {"size": 4, "note": "ab"},
        [({"name": "Adalind"}, ("name", "maxLength")), ({"rank": 0}, ("rank", "minimum"))],
    ),
    "joi: fields that hang together": (
        {"express": "5", "joi": "17"},
        """
        const Joi = require("joi");
        const schema = Joi.object({
          kind: Joi.string().valid("a", "b").required(), from: Joi.number(), to: Joi.number(), unit: Joi.string().max(3),
          note: Joi.string().when("kind", { is: "a", then: Joi.required() }), left: Joi.number(), right: Joi.number(),
        }).and("from", "to").with("unit", ["from", "to"]).without("left", "right");
        app.post("/a", (req, res) => {
          const { error, value } = schema.validate(req.body);
          if (error) return res.status(422).json({ error: error.message });
          db.rows.insert(value);
          res.end();
        });
        """,
        "POST /a",
        {"kind": "b"},
        [({"from": 1}, ("to", "requiredWith")), ({"to": 1}, ("from", "requiredWith")), ({"unit": "m"}, ("to", "requiredWith")),
         ({"kind": "a"}, ("note", "requiredIf")), ({"left": 1, "right": 1}, ("left", "custom"))],
    ),
    "request chains, asked for": (
        {"express": "5", "express-validator": "7"},
        """
        const { body, validationResult } = require("express-validator");
        const name = body("name").isLength({ min: 2, max: 5 });
        const rules = [body("mail").isEmail(), name, body("rank").optional().isInt({ max: 9 })];
        const checked = (req, res, next) => {
          const errors = validationResult(req);
          if (!errors.isEmpty()) return res.status(422).json({ errors: errors.array() });
          next();
        };
        app.post("/a", rules, checked, (req, res) => { db.rows.insert({ name: req.body.name }); res.end(); });
        """,
        "POST /a",
        {"mail": "a@b.example", "name": "Ada", "rank": 3},
        [({"mail": "no"}, ("mail", "format")), ({"name": "A"}, ("name", "minLength")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "request chains, never asked for": (
        {"express": "5", "express-validator": "7"},
        """
        const { body } = require("express-validator");
        app.post("/a", body("mail").isEmail(), (req, res) => { db.rows.insert({ mail: req.body.mail }); res.end(); });
        """,
        "POST /a",
        {"mail": "a@b.example"},
        [({"mail": "no"}, ("mail", "format"))],
    ),
    "fastify: the route's schema": (
        {"fastify": "5"},
        """
        const { db } = require("./db");
        const fastify = require("fastify")();
        const body = { type: "object", required: ["name"], properties: {
          name: { type: "string", minLength: 2, maxLength: 5 }, rank: { type: "integer", maximum: 9 } } };
        fastify.register(async (instance) => {
          instance.post("/a", { schema: { body } }, async (request, reply) => {
            if (request.body.rank === 8) return reply.code(409).send();
            db.rows.insert(request.body);
            return {};
          });
        }, { prefix: "/v1" });
        fastify.listen({ port: Number(process.env.PORT) });
        """,
        "POST /v1/a",
        OK,
        [({"name": "A"}, ("name", "minLength")), ({"rank": 10}, ("rank", "maximum")), ({"rank": 8}, ("rank", "custom"))],
    ),
    "koa: thrown by the context": (
        {"koa": "2", "@koa/router": "13", "koa-bodyparser": "4"},
        """
        const Koa = require("koa");
        const Router = require("@koa/router");
        const parser = require("koa-bodyparser");
        const { db } = require("./db");
        const app = new Koa();
        const router = new Router({ prefix: "/v1" });
        router.post("/a", async (ctx) => {
          const { name, rank } = ctx.request.body;
          if (typeof name !== "string") ctx.throw(422, "name");
          if (!(rank <= 9)) { ctx.status = 422; return; }
          db.rows.insert({ name, rank });
          ctx.body = {};
        });
        app.use(parser()).use(router.routes());
        app.on("error", () => {});
        """,
        "POST /v1/a",
        OK,
        [({"name": 1}, ("name", "type")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "hono: its schema middleware": (
        {"hono": "4", "@hono/node-server": "1", "@hono/zod-validator": "0.4", "zod": "3"},
        """
        const { Hono } = require("hono");
        const { serve } = require("@hono/node-server");
        const { zValidator } = require("@hono/zod-validator");
        const { z } = require("zod");
        const { db } = require("./db");
        const app = new Hono().basePath("/v1");
        app.post("/a", zValidator("json", z.object({ name: z.string().max(5), rank: z.number() })), async (c) => {
          const row = c.req.valid("json");
          if (row.rank > 9) return c.json({}, 422);
          db.rows.insert(row);
          return c.json({}, 201);
        });
        serve({ fetch: app.fetch, port: Number(process.env.PORT) });
        """,
        "POST /v1/a",
        OK,
        [({"name": "Adalind"}, ("name", "maxLength")), ({"rank": 10}, ("rank", "maximum"))],
    ),
}  # fmt: skip


NEST = """
import "reflect-metadata";
import { BadRequestException, Body, Controller, Module, PipeTransform, Post, UsePipes, ValidationPipe, applyDecorators }
  from "@nestjs/common";
import { NestFactory } from "@nestjs/core";
import { PartialType, PickType } from "@nestjs/mapped-types";
import { Type, plainToInstance } from "class-transformer";
import { ArrayMaxSize, IsArray, IsEmail, IsEnum, IsInt, IsNotEmpty, IsOptional, IsString, Length, Matches, Max, MaxLength, Min,
  ValidateIf, ValidateNested, registerDecorator, validate } from "class-validator";
import { db } from "./db";
"""
START = """
@Module({ controllers: [C] })
class AppModule {}
async function start() {
  const app = await NestFactory.create(AppModule, { logger: false });
  PIPES
  await app.listen(process.env.PORT);
}
start();
"""
PILOT = """
class Pilot {
  @IsString() @Length(2, 5) name: string;
  @IsInt() @Min(1) @Max(9) rank: number;
}
"""
GLOBAL = "app.useGlobalPipes(new ValidationPipe());"

# name -> (what is bound in bootstrap, source, accepted body, what breaks)
NESTED: dict[str, tuple[str, str, dict[str, Any], list[tuple[dict[str, Any], tuple[str, str]]]]] = {
    "the pipe runs a class": (
        GLOBAL,
        PILOT
        + """
        enum Colour { Red = "red", Blue = "blue" }
        const IsCode = () => applyDecorators(MaxLength(5), Matches(/^[A-Z]+\\d$/));
        function IsEven() {
          return (object: object, propertyName: string) => registerDecorator({
            name: "isEven", target: object.constructor, propertyName, options: {},
            validator: { validate: (value: any) => value % 2 === 0 },
          });
        }
        class Full extends Pilot {
          @IsOptional() @IsEmail() mail?: string;
          @IsEnum(Colour) colour: Colour;
          @IsArray() @ArrayMaxSize(2) @MaxLength(3, { each: true }) tags: string[];
          @ValidateNested() @Type(() => Pilot) mate: Pilot;
          @IsArray() @ValidateNested({ each: true }) @Type(() => Pilot) crew: Pilot[];
          @IsCode() code: string;
          @IsEven() even: number;
          @IsNotEmpty() note: string;
        }
        @Controller("a") class C { @Post() add(@Body() body: Full) { db.rows.insert(body); } }
        """,
        OK | {"mail": "a@b.example", "colour": "red", "tags": ["a"], "mate": OK, "crew": [OK], "code": "A1", "even": 2,
              "note": "x"},
        [({"name": "A"}, ("name", "minLength")), ({"rank": 10}, ("rank", "maximum")), ({"mail": "no"}, ("mail", "format")),
         ({"colour": "pink"}, ("colour", "enum")), ({"tags": ["a", "b", "c"]}, ("tags", "maxItems")),
         ({"tags": ["abcd"]}, ("tags[]", "maxLength")), ({"mate": OK | {"name": "A"}}, ("mate.name", "minLength")),
         ({"crew": [OK | {"rank": 0}]}, ("crew[].rank", "minimum")), ({"code": "a1"}, ("code", "pattern")),
         ({"even": 3}, ("even", "custom")), ({"note": ""}, ("note", "notEmpty"))],
    ),
    "no pipe": (
        "",
        PILOT + '@Controller("a") class C { @Post() add(@Body() body: Pilot) { db.rows.insert(body); } }',
        OK,
        [({"name": "A"}, ("name", "minLength")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "a pipe on the method, groups, missing properties": (
        "",
        """
        class Grouped {
          @IsString() @MaxLength(5, { groups: ["short"] }) name: string;
          @IsInt({ groups: ["short"] }) rank: number;
        }
        @Controller("a") class C {
          @Post() @UsePipes(new ValidationPipe({ groups: ["short"], skipMissingProperties: true }))
          add(@Body() body: Grouped) { db.rows.insert(body); }
        }
        """,
        OK,
        [({"name": "Adalind"}, ("name", "maxLength"))],
    ),
    "nested without its type": (
        GLOBAL,
        PILOT
        + """
        class Crew { @IsArray() @ValidateNested({ each: true }) crew: Pilot[]; @IsString() name: string; }
        @Controller("a") class C { @Post() add(@Body() body: Crew) { db.rows.insert(body); } }
        """,
        {"name": "Ada", "crew": [{"anything": 1}]},
        [],
    ),
    "mapped types": (
        GLOBAL,
        PILOT
        + """
        class Change extends PartialType(PickType(Pilot, ["name"] as const)) {}
        @Controller("a") class C { @Post() add(@Body() body: Change) { db.rows.insert(body); } }
        """,
        {"name": "Ada"},
        [({"name": "A"}, ("name", "minLength")), ({"rank": 99}, ("rank", ""))],
    ),
    "conditions on the rules": (
        GLOBAL,
        PILOT
        + """
        class Other extends PartialType(PickType(Pilot, ["rank"] as const), { skipNullProperties: false }) {
          @IsString() name: string;
          @ValidateIf((other) => other.name !== "Ada") @IsInt() @Max(9) age: number;
          @ValidateIf((other, value) => value !== null) @IsString() note: string | null;
          @ValidateIf((_, value) => value !== undefined && value != null) @MaxLength(3) mark?: string;
        }
        @Controller("a") class C { @Post() add(@Body() body: Other) { db.rows.insert(body); } }
        """,
        {"name": "Bea", "rank": 3, "age": 4, "note": "x", "mark": "abc"},
        [({"rank": 99}, ("rank", "maximum")), ({"rank": None}, ("rank", "minimum")), ({"age": 10}, ("age", "maximum")),
         ({"mark": "abcd"}, ("mark", "maxLength"))],
    ),
    "a type that is no class when the service runs": (
        GLOBAL,
        PILOT + '@Controller("a") class C { @Post() add(@Body() body: Partial<Pilot>) { db.rows.insert(body); } }',
        OK,
        [({"name": "A"}, ("name", "minLength"))],
    ),
    "a pipe of the service's own that asks a schema": (
        "",
        """
        const { z } = require("zod");
        const schema = z.object({ name: z.string().max(5), rank: z.number().max(9) });
        class SchemaPipe implements PipeTransform {
          constructor(private schema: any) {}
          transform(value: unknown) {
            const result = this.schema.safeParse(value);
            if (!result.success) throw new BadRequestException("no");
            return result.data;
          }
        }
        @Controller("a") class C { @Post() @UsePipes(new SchemaPipe(schema)) add(@Body() body: any) { db.rows.insert(body); } }
        """,
        OK,
        [({"name": "Adalind"}, ("name", "maxLength")), ({"rank": 10}, ("rank", "maximum"))],
    ),
    "checked by hand, and thrown otherwise": (
        "",
        """
        @Controller("a") class C {
          @Post() add(@Body("name") name: string, @Body("rank") rank: number) {
            if (typeof name !== "string" || name.length > 5) throw new BadRequestException("name");
            if (rank > 9) throw new Error("rank");
            db.rows.insert({ name, rank });
          }
        }
        """,
        OK,
        [({"name": "Adalind"}, ("name", "maxLength")), ({"rank": 10}, ("rank", "maximum"))],
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", NESTED)
def test_behaves_as_nest(name: str, workshop: Any) -> None:
    bound, source, accepted, broken = NESTED[name]
    main = NEST + textwrap.dedent(source) + START.replace("PIPES", bound)
    manifest = {"@nestjs/common": "11", "class-validator": "0.14", "class-transformer": "0.5"}
    said = endpoint(_survey(workshop, manifest, {"main.ts": main}), "POST /a")
    reason = missing()
    if reason is not None:
        pytest.skip(reason)
    with running(workshop.root, "main.ts") as service:
        _compare(service, said, accepted, broken)


@pytest.mark.parametrize("name", CASES)
def test_behaves(name: str, workshop: Any) -> None:
    manifest, source, words, accepted, broken = CASES[name]
    own = "serve({" in source or ".listen({" in source
    head = "" if "new Koa" in source or own else EXPRESS
    if manifest.get("express") == "4":
        head = head.replace('require("express")', 'require("express4")')
    main = head + textwrap.dedent(source) + ("" if own else LISTEN)
    said = endpoint(_survey(workshop, manifest, {"main.js": main}), words)
    reason = missing()
    if reason is not None:
        pytest.skip(reason)
    with running(workshop.root, "main.js") as service:
        _compare(service, said, accepted, broken)


def _survey(workshop: Any, manifest: dict[str, str], files: dict[str, str]) -> Any:
    listed = "".join(f', "{k}": "^{v}"' for k, v in manifest.items()).lstrip(", ")
    shown = {k: v.replace('"express4"', '"express"') for k, v in files.items()}
    workshop.write(shown | {"package.json": f'{{"name": "svc", "dependencies": {{{listed}}}}}', "db.js": DB}, None)
    inventory = mappu.survey(workshop.root)
    workshop.write(files, None)
    return inventory


def _compare(
    service: Running, said: Endpoint, accepted: dict[str, Any], broken: list[tuple[dict[str, Any], tuple[str, str]]]
) -> None:
    path = said.path.replace("{id}", "7")
    status, stored = service.send(said.method, path, accepted)
    assert status < 300, (status, "the accepted request")
    assert stored, "the accepted request is stored"
    for changes, (name, kind) in broken:
        status, stored = service.send(said.method, path, accepted | changes)
        if not kind:
            assert all(f.path != name for f in said.fields), name
            assert stored
            continue
        found = {c.status for c in field(said, name).constraints if c.kind == kind}
        happened = {"leaks", "idle"} if stored else {"runs"} if 400 <= status < 500 else {"breaks"}
        assert found & happened, (changes, kind, status, stored, found)
    for name in accepted:
        status, stored = service.send(said.method, path, {k: v for k, v in accepted.items() if k != name})
        refused = 400 <= status < 500 and not stored
        assert field(said, name).required == refused, (f"{name} left out", status, stored)
