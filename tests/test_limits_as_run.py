"""Every limit that Mappu reads is tried at its edge: the value just inside passes, the one just outside is refused by the library
that runs it, in a service that runs for real."""

import json
import textwrap
from collections.abc import Iterator
from typing import Any

import pytest

import mappu
from conftest import endpoint
from mappu.inventory.model import Field
from running_node import DB, missing, running

EXPRESS = """
const express = require("express");
const { db } = require("./db");
const app = express();
app.use(express.json());
"""
BODY = {"name": "abc", "rank": 4, "share": 0.5, "colour": "red", "tags": ["ab", "cd"], "step": 10}
LISTEN = "\napp.listen(process.env.PORT);\n"

# The same limits in every library: name -> (file, packages, source, the endpoint)
CASES: dict[str, tuple[str, tuple[str, ...], str]] = {
    "zod 3": (
        "app.js",
        ("express", "zod"),
        """
        const { z } = require("zod");
        const Body = z.object({
          name: z.string().min(2).max(5), rank: z.number().int().min(1).max(9), share: z.number().gt(0).lt(1),
          colour: z.enum(["red", "blue"]), tags: z.array(z.string().max(3)).min(1).max(3), step: z.number().multipleOf(5),
        });
        app.post("/a", (req, res) => {
          const result = Body.safeParse(req.body);
          if (!result.success) return res.status(422).json(result.error);
          db.rows.insert(result.data);
          res.end();
        });
        """,
    ),
    "joi": (
        "app.js",
        ("express", "joi"),
        """
        const Joi = require("joi");
        const Body = Joi.object({
          name: Joi.string().min(2).max(5).required(), rank: Joi.number().integer().min(1).max(9).required(),
          share: Joi.number().greater(0).less(1).required(), colour: Joi.string().valid("red", "blue").required(),
          tags: Joi.array().items(Joi.string().max(3)).min(1).max(3).required(), step: Joi.number().multiple(5).required(),
        });
        app.post("/a", (req, res) => {
          const { error, value } = Body.validate(req.body);
          if (error) return res.status(422).json({ error: error.message });
          db.rows.insert(value);
          res.end();
        });
        """,
    ),
    "yup": (
        "app.js",
        ("express", "yup"),
        """
        const yup = require("yup");
        const Body = yup.object({
          name: yup.string().min(2).max(5).required(), rank: yup.number().integer().min(1).max(9).required(),
          share: yup.number().moreThan(0).lessThan(1).required(), colour: yup.string().oneOf(["red", "blue"]).required(),
          tags: yup.array().of(yup.string().max(3)).min(1).max(3).required(),
        });
        app.post("/a", async (req, res) => {
          try {
            db.rows.insert(await Body.validate(req.body));
          } catch (error) {
            return res.status(422).json({ error: error.message });
          }
          res.end();
        });
        """,
    ),
    "ajv": (
        "app.js",
        ("express", "ajv"),
        """
        const Ajv = require("ajv");
        const check = new Ajv().compile({
          type: "object",
          required: ["name", "rank", "share", "colour", "tags", "step"],
          properties: {
            name: { type: "string", minLength: 2, maxLength: 5 }, rank: { type: "integer", minimum: 1, maximum: 9 },
            share: { type: "number", exclusiveMinimum: 0, exclusiveMaximum: 1 }, colour: { enum: ["red", "blue"] },
            tags: { type: "array", items: { type: "string", maxLength: 3 }, minItems: 1, maxItems: 3 },
            step: { type: "number", multipleOf: 5 },
          },
        });
        app.post("/a", (req, res) => {
          if (!check(req.body)) return res.status(422).json(check.errors);
          db.rows.insert(req.body);
          res.end();
        });
        """,
    ),
    "request chains": (
        "app.js",
        ("express", "express-validator"),
        """
        const { body, validationResult } = require("express-validator");
        app.post("/a", [
          body("name").isLength({ min: 2, max: 5 }), body("rank").isInt({ min: 1, max: 9 }), body("colour").isIn(["red", "blue"]),
          body("tags").isArray({ min: 1, max: 3 }),
        ], (req, res) => {
          const found = validationResult(req);
          if (!found.isEmpty()) return res.status(422).json(found.array());
          db.rows.insert({ name: req.body.name });
          res.end();
        });
        """,
    ),
    "guards by hand": (
        "app.js",
        ("express",),
        """
        app.post("/a", (req, res) => {
          const { name, rank, share, colour, tags } = req.body ?? {};
          if (typeof name !== "string" || name.length < 2 || name.length > 5) return res.status(422).end();
          if (!Number.isInteger(rank) || rank < 1 || rank > 9) return res.status(422).end();
          if (typeof share !== "number" || share <= 0 || !(share < 1)) return res.status(422).end();
          if (colour !== "red" && colour !== "blue") return res.status(422).end();
          if (!Array.isArray(tags) || tags.length < 1 || tags.length > 3) return res.status(422).end();
          for (const tag of tags) if (typeof tag !== "string" || tag.length > 3) return res.status(422).end();
          db.rows.insert({ name, rank, share, colour, tags });
          res.end();
        });
        """,
    ),
    "class-validator": (
        "main.ts",
        ("@nestjs/common", "class-validator", "class-transformer"),
        """
        import "reflect-metadata";
        import { Body, Controller, HttpCode, Module, Post, ValidationPipe } from "@nestjs/common";
        import { NestFactory } from "@nestjs/core";
        import { ArrayMaxSize, ArrayMinSize, IsArray, IsDivisibleBy, IsIn, IsInt, IsString, Length, Max, MaxLength, Min }
          from "class-validator";
        import { db } from "./db";
        class Dto {
          @IsString() @Length(2, 5) name: string;
          @IsInt() @Min(1) @Max(9) rank: number;
          @IsIn(["red", "blue"]) colour: string;
          @IsArray() @ArrayMinSize(1) @ArrayMaxSize(3) @MaxLength(3, { each: true }) tags: string[];
          @IsDivisibleBy(5) step: number;
        }
        @Controller("a")
        class C { @Post() @HttpCode(200) add(@Body() body: Dto) { db.rows.insert(body); } }
        @Module({ controllers: [C] })
        class AppModule {}
        async function start() {
          const app = await NestFactory.create(AppModule, { logger: false });
          app.useGlobalPipes(new ValidationPipe({ whitelist: true, errorHttpStatusCode: 422 }));
          await app.listen(process.env.PORT);
        }
        start();
        """,
    ),
}


def edges(found: Field) -> Iterator[tuple[Any, Any, str]]:
    """Yield, for each limit of a field, a value just inside and one just outside."""
    for limit in found.constraints:
        at = limit.value
        numbers = {
            "minimum": (at, -1),
            "maximum": (at, 1),
            "exclusiveMinimum": (None, 0),
            "exclusiveMaximum": (None, 0),
        }
        match limit.kind:
            case "minLength" | "maxLength":
                yield "x" * at, "x" * (at - 1 if limit.kind == "minLength" else at + 1), limit.kind
            case "minItems" | "maxItems":
                yield ["ab"] * at, ["ab"] * (at - 1 if limit.kind == "minItems" else at + 1), limit.kind
            case "minimum" | "maximum" | "exclusiveMinimum" | "exclusiveMaximum":
                inside, step = numbers[limit.kind]
                yield inside, at + step, limit.kind
            case "enum":
                yield from ((value, f"{value}-", limit.kind) for value in at)
            case "multipleOf":
                yield at * 3, at * 3 + 1, limit.kind


@pytest.mark.parametrize("name", CASES)
def test_edges(name: str, workshop: Any) -> None:
    file, packages, source = CASES[name]
    main = textwrap.dedent(source) if file.endswith(".ts") else EXPRESS + textwrap.dedent(source) + LISTEN
    manifest = json.dumps({"name": "svc", "dependencies": dict.fromkeys(packages, "*")})
    workshop.write({file: main, "package.json": manifest, "db.js": DB}, None)
    said = endpoint(mappu.survey(workshop.root), "POST /a")
    fields = {f.path: f for f in said.fields}
    assert {"name", "rank", "colour", "tags"} <= set(fields)
    assert {f.standing for f in said.fields if f.constraints} == {"enforced"}
    reason = missing()
    if reason is not None:
        pytest.skip(reason)
    accepted = {k: v for k, v in BODY.items() if k in fields}
    tried = set()
    with running(workshop.root, file) as service:
        for path, found in fields.items():
            for inside, outside, kind in edges(found):
                top, in_list = path.removesuffix("[]"), path.endswith("[]")
                for value, passes in ((inside, True), (outside, False)):
                    if value is None:
                        continue
                    body = accepted | {top: [value] if in_list else value}
                    status, stored = service.send("POST", "/a", body)
                    assert (status < 300) == passes == bool(stored), (path, kind, value, status)
                    tried.add((path, kind))
    assert len(tried) >= 7, "the limits of four fields at least"
