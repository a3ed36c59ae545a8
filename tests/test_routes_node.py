"""Routes of JavaScript services: every endpoint that Mappu finds answers when the service runs, with the handler it names, and
every handler that can be reached is found.

A handler answers with its own mark; one whose mark begins with `dead` is never reached.
"""

import http.client
import re
import textwrap
from pathlib import Path
from typing import Any

import pytest

import mappu
from running_node import missing, running

# name -> files; the first is the one that is started
CASES: dict[str, dict[str, str]] = {
    "express: nested across files": {
        "app.js": """
            const express = require("express");
            const users = require("./users");
            const { api, setup } = require("./api");
            const app = express();
            app.use("/v1", api);
            app.use("/users", users());
            setup(app, "/set");
            app.get(["/one", "/two"], (req, res) => res.end("listed"));
            app.route("/chain").get((req, res) => res.end("chain_get")).post((req, res) => res.end("chain_post"));
            app.all("/any", (req, res) => res.end("any"));
            app.listen(process.env.PORT);
        """,
        "users.js": """
            const { Router } = require("express");
            const controller = require("./controller");
            module.exports = () => {
              const router = Router();
              router.get("/", controller.list);
              router.get("/:id", controller.one.bind(controller));
              router.use("/:id/pets", require("./pets"));
              return router;
            };
        """,
        "pets.js": """
            const router = require("express").Router({ mergeParams: true });
            const wrap = (fn) => (req, res, next) => Promise.resolve(fn(req, res, next)).catch(next);
            router.post("/", wrap(async (req, res) => res.end("pet_add")));
            module.exports = router;
        """,
        "controller.js": """
            class Users {
              list(req, res) { res.end("user_list"); }
              one(req, res) { res.end("user_one"); }
            }
            module.exports = new Users();
        """,
        "api.js": """
            const express = require("express");
            const api = express.Router();
            const deep = express.Router();
            deep.get("/leaf", function leaf(req, res) { res.end("leaf"); });
            api.use("/deep", deep);
            const lost = express.Router();
            lost.get("/lost", (req, res) => res.end("dead_lost"));
            function setup(app, prefix) {
              app.delete(prefix + "/gone", (req, res) => res.end("gone"));
              for (const name of ["a", "b"]) app.put(`${prefix}/${name}`, (req, res) => res.end("looped"));
            }
            module.exports = { api, setup };
        """,
    },
    "express: modules, classes, factories": {
        "app.ts": """
            import express, { Application, Router } from "express";
            import { ItemRoutes } from "./routes";
            import { makeRouter } from "@lib/make";
            import * as handlers from "./handlers";
            class Server {
              public app: Application;
              constructor() {
                this.app = express();
                this.routes();
              }
              private routes(): void {
                this.app.get("/health", handlers.health);
                this.app.use("/items", new ItemRoutes().router);
                this.app.use("/made", makeRouter("x"));
                [{ path: "/left", router: side("left") }, { path: "/right", router: side("right") }].forEach((r) => {
                  this.app.use(r.path, r.router);
                });
              }
            }
            function side(name: string): Router {
              const router = Router();
              router.get("/hand", (req, res) => { res.end("hand"); });
              return router;
            }
            new Server().app.listen(process.env.PORT);
        """,
        "routes.ts": """
            import { Router } from "express";
            export class ItemRoutes {
              public router = Router();
              constructor() { this.init(); }
              init() { this.router.get("/", this.list).patch("/:id", this.change); }
              list = (req: any, res: any) => { res.end("item_list"); };
              change(req: any, res: any) { res.end("item_change"); }
            }
        """,
        "lib/make.ts": """
            import { Router } from "express";
            export function makeRouter(name: string) {
              const made = Router();
              made.get("/it", (req, res) => { res.end("made"); });
              return made;
            }
        """,
        "handlers.ts": 'export const health = (req: any, res: any) => { res.end("health"); };',
        "tsconfig.json": '{ "compilerOptions": { "paths": { "@lib/*": ["./lib/*"] } } } // and a comment',
    },
    "fastify: plugins and full declarations": {
        "app.js": """
            const fastify = require("fastify")();
            fastify.get("/", async () => "root");
            fastify.register(require("./plugin"), { prefix: "/p" });
            fastify.route({ method: ["PUT", "PATCH"], url: "/both/:id", handler: async (request, reply) => "both" });
            fastify.listen({ port: Number(process.env.PORT) });
        """,
        "plugin.js": """
            module.exports = async function plugin(fastify) {
              fastify.get("/in", { schema: {} }, async (request, reply) => "plugged");
              fastify.register(async (inner) => { inner.post("/deep", async (request, reply) => "deep"); }, { prefix: "/q" });
            };
        """,
    },
    "koa and its routers": {
        "app.js": """
            const Koa = require("koa");
            const Router = require("@koa/router");
            const app = new Koa();
            const outer = new Router({ prefix: "/outer" });
            const inner = new Router();
            inner.get("/leaf", (ctx) => { ctx.body = "leaf"; });
            outer.get("/:id", (ctx) => { ctx.body = "one"; });
            outer.use("/inner", inner.routes(), inner.allowedMethods());
            app.use(outer.routes());
            app.listen(process.env.PORT);
        """,
    },
    "hono: chained and below": {
        "app.js": """
            const { Hono } = require("hono");
            const { serve } = require("@hono/node-server");
            const book = new Hono().get("/", (c) => c.text("books")).get("/:id", (c) => c.text("book"));
            const app = new Hono();
            app.route("/books", book);
            app.post("/direct", async (c) => c.text("direct"));
            serve({ fetch: app.fetch, port: Number(process.env.PORT) });
        """,
    },
    "nest: prefixes, versions, inheritance": {
        "main.ts": """
            import "reflect-metadata";
            import { Controller, Delete, Get, Module, Param, Post, Put, VersioningType, Version } from "@nestjs/common";
            import { NestFactory, RouterModule } from "@nestjs/core";
            import { Base } from "./base";
            @Controller("cats") class Cats extends Base {
              @Get(":id") one(@Param("id") id: string) { return "cat_one"; }
              @Post(["a", "b"]) several() { return "cat_several"; }
            }
            @Controller({ path: "dogs", version: "2" }) class Dogs {
              @Get() list() { return "dogs"; }
              @Version("3") @Put() put() { return "dog_put"; }
            }
            @Controller("health") class Health { @Get() ok() { return "health"; } }
            @Controller("nowhere") class Nowhere { @Get() no() { return "dead_nowhere"; } }
            @Controller("in") class Inside { @Delete("it") it() { return "inside"; } }
            @Module({ controllers: [Inside] }) class InsideModule {}
            @Module({ controllers: [Cats, Dogs, Health],
              imports: [InsideModule, RouterModule.register([{ path: "mod", module: InsideModule }])] }) class AppModule {}
            async function start() {
              const app = await NestFactory.create(AppModule, { logger: false });
              app.setGlobalPrefix("api", { exclude: ["health"] });
              app.enableVersioning({ type: VersioningType.URI });
              await app.listen(process.env.PORT);
            }
            start();
        """,
        "base.ts": """
            import { Get } from "@nestjs/common";
            export abstract class Base { @Get("shared/all") all() { return "base_all"; } }
        """,
    },
}  # fmt: skip
_PACKAGES = ("express", "fastify", "koa", "@koa/router", "hono", "@hono/node-server", "@nestjs/common", "@nestjs/core")
_MARK = re.compile(r"""(?:end\(|text\(|body = |return |=> )"(\w+)\"""")


@pytest.mark.parametrize("name", CASES)
def test_routes(name: str, workshop: Any) -> None:
    files = {k: textwrap.dedent(v) for k, v in CASES[name].items()}
    used = [p for p in _PACKAGES if any(f'"{p}"' in text for text in files.values())]
    listed = ", ".join(f'"{p}": "*"' for p in used)
    workshop.write(files | {"package.json": f'{{"name": "svc", "dependencies": {{{listed}}}}}'}, None)
    inventory = mappu.survey(workshop.root)
    marks = {m for text in files.values() for m in _MARK.findall(text)}
    assert marks
    found = {
        (e.method, e.path): _marks_at(workshop.root, e.handler.file, e.handler.line, marks) for e in inventory.endpoints
    }
    reached = set().union(*found.values())
    assert reached == {m for m in marks if not m.startswith("dead")}
    reason = missing()
    if reason is not None:
        pytest.skip(reason)
    for path in workshop.root.rglob("*.ts"):
        # The paths of a tsconfig are the compiler's: without it they lead nowhere.
        path.write_text(path.read_text().replace("@lib/", "./lib/"))
    with running(workshop.root, next(iter(files))) as service:
        for (method, path), expected in found.items():
            connection = http.client.HTTPConnection("127.0.0.1", service.port, timeout=3)
            connection.request(
                "POST" if method == "ALL" else method, re.sub(r"\{\w+\}", "7", path), headers={"content-length": "0"}
            )
            answer = connection.getresponse()
            text = answer.read().decode()
            connection.close()
            assert answer.status < 300, (method, path, answer.status)
            assert text in expected, (method, path, text)


def _marks_at(root: Path, file: str, line: int, marks: set[str]) -> set[str]:
    """The marks in the handler that begins on a line: on it, or the first below it."""
    for text in (root / file).read_text().splitlines()[line - 1 : line + 4]:
        found = {m for m in _MARK.findall(text) if m in marks}
        if found:
            return found
    return set()


_FORM = """
export function Form() {
  async function inner(data: FormData) { 'use server'; return data.get('b') }
  return <form action={inner}/>
}
"""
_OLD = """
export default async function handler(req, res) {
  if (req.method !== 'POST') return res.status(405).end();
  res.end();
}
"""
NEXT = {
    "src/app/api/passes/route.ts": (
        "export async function GET() { return Response.json(1) }\nexport const POST = async () => Response.json(1)"
    ),
    "src/app/api/passes/[id]/route.ts": "const h = async () => Response.json(1)\nexport { h as PUT, h as DELETE }",
    "src/app/(inner)/@slot/api/files/[...path]/route.js": "export async function GET() { return new Response() }",
    "src/app/_private/route.ts": "export async function GET() { return new Response() }",
    "src/pages/api/old/index.ts": _OLD,
    "src/pages/api/any/[slug].js": "export default function handler(req, res) { res.end() }",
    "src/app/actions.ts": "'use server'\nexport async function save(data: FormData) { return data.get('a') }\nconst hidden = 1",
    "src/app/form.tsx": _FORM,
}


def test_next_routes_by_file(workshop: Any) -> None:
    # Next.js needs a build before it serves: the paths are its documentation's, not run here.
    workshop.write(NEXT | {"package.json": '{"name": "svc", "dependencies": {"next": "15"}}'}, None)
    assert {(e.method, e.path) for e in mappu.survey(workshop.root).endpoints} == {
        ("GET", "/api/passes"), ("POST", "/api/passes"), ("PUT", "/api/passes/{id}"), ("DELETE", "/api/passes/{id}"),
        ("GET", "/api/files/{path}"), ("POST", "/api/old"), ("ALL", "/api/any/{slug}"),
        ("SERVER-ACTION", "src/app/actions.ts#save"), ("SERVER-ACTION", "src/app/form.tsx#inner"),
    }  # fmt: skip
