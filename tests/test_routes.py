"""Routes as the running app has them: every way of hanging one, compared with the app's own route table."""

from collections.abc import Iterator
from typing import Any

import pytest

from openapi import load

APPS: dict[str, str | dict[str, str]] = {
    "methods and slashes": """
        from fastapi import FastAPI
        app = FastAPI(root_path="/behind/a/proxy")
        @app.get("/")
        def root(): ...
        @app.get("/a/")
        @app.post("/a")
        def a(): ...
        @app.head("/h")
        @app.options("/o")
        @app.trace("/t")
        def several(): ...
        @app.api_route("/many", methods=["PUT", "DELETE"])
        def many(): ...
        @app.get(path="/named")
        async def named(): ...
        LATE = "/late"
        app.get(LATE + "r")(root)
        app.add_api_route("/added", a, methods=["PATCH"])
        app.router.add_api_route("/through/router", a)
        @app.get("/{a}/{rest:path}")
        def rest(a, rest): ...
    """,
    "nested routers": """
        from fastapi import APIRouter, FastAPI
        class Own(APIRouter): ...
        one, two = APIRouter(prefix="/one"), Own(prefix="/two")
        three = APIRouter()
        @one.get("/x")
        def x(): ...
        @two.get("")
        def y(): ...
        @three.get("/z")
        def z(): ...
        two.include_router(three, prefix="/deep")
        one.include_router(two)
        app = FastAPI()
        app.include_router(one, prefix="/v1")
        app.include_router(router=one, prefix="/v2", tags=["b"])
        never = APIRouter()
        @never.get("/never")
        def n(): ...
    """,
    "loops, lists and maps": """
        from fastapi import APIRouter, FastAPI
        a, b, c, d = APIRouter(), APIRouter(), APIRouter(), APIRouter()
        for router, name in ((a, "a"), (b, "b"), (c, "c"), (d, "d")):
            pass
        @a.get("/x")
        def xa(): ...
        @b.get("/x")
        def xb(): ...
        @c.get("/x")
        def xc(): ...
        @d.get("/x")
        def xd(): ...
        app = FastAPI()
        ROUTERS = [a]
        PAIRS = [(b, "/b")]
        for r in ROUTERS + [c]:
            app.include_router(r, prefix="/list")
        for r, where in PAIRS:
            app.include_router(r, prefix=where)
        for where, r in {"/map": d}.items():
            app.include_router(r, prefix=where)
    """,
    "made by functions": {
        "main.py": """
            from web.factory import create_app
            app = create_app("prod")
        """,
        "web/__init__.py": "",
        "web/factory.py": """
            from fastapi import FastAPI
            from .routes import make, registry, ROUTES
            from . import routes as r
            PREFIX = "/api"
            def _setup(target: FastAPI, prefix: str = "/setup") -> None:
                target.include_router(r.plain, prefix=prefix)
            def create_app(env) -> FastAPI:
                app = FastAPI()
                app.include_router(make("things"), prefix=PREFIX)
                app.include_router(registry.router, prefix=f"{PREFIX}/registry")
                for one in ROUTES:
                    app.include_router(one)
                _setup(app)
                @app.get("/health")
                def health(): ...
                return app
        """,
        "web/routes.py": """
            from fastapi import APIRouter
            plain = APIRouter()
            @plain.get("/plain")
            def p(): ...
            def make(kind):
                router = APIRouter(prefix="/made")
                @router.get("/one")
                def one(): ...
                router.add_api_route("/two", one, methods=["POST"])
                return router
            class Registry:
                def __init__(self):
                    self.router = APIRouter()
                    self.router.add_api_route("/entries", self.entries)
                    self.router.get("/more")(self.more)
                def entries(self): ...
                def more(self): ...
            registry = Registry()
            ROUTES = (APIRouter(prefix="/empty"), plain)
        """,
    },
    "a function called for each": """
        from fastapi import APIRouter, FastAPI
        app = FastAPI()
        things, people = APIRouter(prefix="/things"), APIRouter(prefix="/people")
        def register(router, kind, extra="/x"):
            @router.get(f"/{kind}/list")
            def listed(): ...
            router.add_api_route("/" + kind + extra, listed, methods=["POST"])
        register(things, "a", "/one")
        register(people, kind="b", extra="/two")
        for kind in ("c", "d"):
            register(things, kind, "/" + "three")
        app.include_router(things)
        app.include_router(people)
    """,
    "mounted apps": """
        from fastapi import APIRouter, FastAPI
        app, sub, deeper = FastAPI(), FastAPI(), FastAPI()
        @sub.get("/s")
        def s(): ...
        @deeper.get("/d")
        def d(): ...
        inner = APIRouter(prefix="/inner")
        @inner.get("/i")
        def i(): ...
        sub.include_router(inner)
        sub.mount("/deeper", deeper)
        app.mount("/sub", sub)
        app.mount(path="/again", app=deeper)
        @app.get("/own")
        def own(): ...
    """,
    "re-exports": {
        "main.py": """
            from fastapi import FastAPI
            from pkg import *
            from pkg import users_router as people
            import pkg.inner.items as things
            app = FastAPI()
            app.include_router(people, prefix="/u")
            app.include_router(things.router)
            app.include_router(starred)
        """,
        "pkg/__init__.py": """
            from .users import router as users_router
            from pkg.star import *
        """,
        "pkg/users.py": """
            from fastapi import APIRouter as R
            router = R()
            @router.get("/me")
            def me(): ...
        """,
        "pkg/star.py": """
            import fastapi
            starred = fastapi.APIRouter(prefix="/star")
            @starred.get("")
            def s(): ...
        """,
        "pkg/inner/__init__.py": "",
        "pkg/inner/items.py": """
            from ..users import R
            router = R(prefix="/items")
            try:
                from nowhere import extra
            except ImportError:
                extra = None
            @router.get("/{item}")
            def item(item): ...
        """,
    },
}


def table(app: Any, prefix: str = "") -> Iterator[tuple[str, str]]:
    """(method, path) of everything in the app's own document, and of the apps mounted in it."""
    for path, methods in app.openapi()["paths"].items():
        yield from ((method.upper(), prefix + path) for method in methods)
    for route in app.routes:
        if hasattr(getattr(route, "app", None), "openapi"):
            yield from table(route.app, prefix + route.path)


@pytest.mark.parametrize("name", APPS)
def test_routes_agree(name: str, workshop: Any) -> None:
    files = APPS[name]
    root = workshop.write(dict(files) if isinstance(files, dict) else files)
    app = load(root / "main.py").app
    inventory = workshop.survey(files)
    ours = sorted((e.method, e.path.replace(":path}", "}")) for e in inventory.endpoints)
    assert ours == sorted(set(table(app)))
    assert len(ours) >= 3


UNFOLLOWED = """
    import os
    from fastapi import APIRouter, FastAPI, WebSocket
    from elsewhere import router as away
    app = FastAPI()
    @app.websocket("/ws")
    async def ws(socket: WebSocket): ...
    app.include_router(away)
    @app.get(os.environ["WHERE"] + "/x")
    def built(): ...
    @app.get(os.getenv("PREFIX", "/def") + "/y")
    def defaulted(): ...
    lonely = APIRouter()
    @lonely.get("/lonely")
    def lonely_route(): ...
    @app.get("/same")
    def first(): ...
    @app.get("/same")
    def second(): ...
"""


def test_what_cannot_be_followed_is_said(workshop: Any) -> None:
    inventory = workshop.survey(UNFOLLOWED)
    said = {(u.line, u.what.split(":")[0]) for u in inventory.unfollowed}
    assert said == {
        (6, "a websocket route"),
        (8, "the router included here could not be followed"),
        (9, "part of a path is built at run time"),
        (11, "part of a path comes from the environment; its default '/def' is used"),
        (13, "this router's prefix may be incomplete or unused"),
        (19, "GET /same is served by an earlier route"),
    }
    # A router that some include leads to, which could not be followed, is listed by itself rather than lost.
    assert {e.path for e in inventory.endpoints} == {'<os.environ["WHERE"]>/x', "/def/y", "/lonely", "/same"}
