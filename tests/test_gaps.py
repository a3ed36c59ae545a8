"""Every kind of gap on small services: what is found, and nothing beside it. Each faulty handler has a sound twin."""

import textwrap
from typing import Any

import pytest

from mappu.gaps.pages import page
from mappu.inventory.kinds import KINDS

HEAD = """
import logging, re
from typing import Annotated, Any
from fastapi import Body, Depends, FastAPI, File, Form, Header, HTTPException, Query, Request, Response, UploadFile
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ConfigDict, EmailStr, Field, ValidationError, field_validator
from sqlalchemy import text
from sqlmodel import Field as Column, Session, SQLModel
log = logging.getLogger("svc")
app = FastAPI()
session = Session()
class Pilot(BaseModel):
    name: str = Field(min_length=2, max_length=40)
    rank: int = Field(ge=1, le=9)
class PilotRow(SQLModel, table=True):
    id: int | None = Column(default=None, primary_key=True)
    name: str = Column(max_length=40)
"""

# name -> (source, gaps as (kind, method and path or None, place, field))
CASES: dict[str, tuple[str, set[tuple[str, str | None, str | None, str | None]]]] = {
    "bare-input": (
        """
        @app.post("/stored")
        async def stored(request: Request):
            try:
                row = await request.json()
            except ValueError:
                raise HTTPException(400)
            session.add(PilotRow(name=row.get("name")))
        @app.post("/bound")
        def bound(pilot: Pilot):
            session.add(PilotRow(name=pilot.name))
        @app.get("/query")
        def query(request: Request):
            return session.execute(text("select * from p where n = '" + request.query_params["n"] + "'"))
        @app.get("/parameters")
        def parameters(request: Request):
            return session.execute(text("select * from p where n = :n"), {"n": request.query_params.get("n")}).all()
        @app.get("/file")
        def file(request: Request):
            return open(request.query_params.get("name", "a")).read()
        @app.get("/checked")
        def checked(request: Request):
            name = request.query_params.get("name", "a")
            if not re.fullmatch("[a-z]{1,9}", name):
                raise HTTPException(400)
            return open(name).read()
        @app.get("/logged")
        def logged(request: Request):
            log.info("from %s", request.headers.get("x-team"))
        @app.get("/untyped/{key}")
        def untyped(key, typed: Annotated[str, Query(max_length=3)]):
            return {"key": key}
        """,
        {
            ("bare-input", "POST /stored", "body", "name"),
            ("bare-input", "GET /query", "query", "n"),
            ("server-error", "GET /query", "query", "*"),
            ("bare-input", "GET /parameters", "query", "n"),
            ("bare-input", "GET /file", "query", "name"),
            ("bare-input", "GET /untyped/{key}", "path", "key"),
        },
    ),
    "idle-rules": (
        """
        @app.post("/construct")
        def construct(body: dict):
            pilot = Pilot.model_construct(**body)
            session.add(PilotRow(name=pilot.name))
        @app.post("/cast")
        async def cast(body: dict):
            pilot: Pilot = body
            session.add(PilotRow(name=pilot["name"]))
        @app.post("/run")
        def run(body: dict):
            try:
                pilot = Pilot(**body)
            except ValidationError as error:
                raise HTTPException(422, str(error))
            session.add(PilotRow(name=pilot.name))
        """,
        {
            ("idle-rules", "POST /construct", "body", "*"),
            ("idle-rules", "POST /cast", "body", "*"),
            ("server-error", "POST /cast", "body", "*"),
        },
    ),
    "a table class as body": (
        """
        @app.post("/rows")
        def rows(row: PilotRow):
            session.add(row)
        @app.post("/pilots")
        def pilots(pilot: Pilot):
            session.add(PilotRow(name=pilot.name))
        """,
        {("idle-rules", "POST /rows", "body", "name"), ("storage-bound", "POST /rows", "body", "*")},
    ),
    "ignored-outcome": (
        """
        @app.post("/passed")
        def passed(body: dict):
            try:
                pilot = Pilot.model_validate(body)
            except ValidationError:
                log.warning("odd")
            session.add(PilotRow(name=body.get("name")))
        @app.post("/gathered")
        def gathered(pilot: Pilot):
            errors = []
            if pilot.rank > 5:
                errors.append("too high")
            session.add(PilotRow(name=pilot.name))
        @app.post("/looked/at")
        def looked_at(pilot: Pilot):
            errors = []
            if pilot.rank > 5:
                errors.append("too high")
            if errors:
                raise HTTPException(422, errors)
            session.add(PilotRow(name=pilot.name))
        @app.post("/collected")
        def collected(pilot: Pilot):
            seen = set()
            if pilot.rank > 5:
                seen.add(pilot.name)
            return list(seen)
        """,
        {("ignored-outcome", "POST /passed", "body", "*"), ("ignored-outcome", "POST /gathered", "body", "rank")},
    ),
    "no-stop": (
        """
        @app.post("/made")
        def made(pilot: Pilot):
            if pilot.rank > 5:
                JSONResponse({"detail": "no"}, status_code=422)
            session.add(PilotRow(name=pilot.name))
        @app.post("/status")
        def status(pilot: Pilot, response: Response):
            if pilot.rank > 5:
                response.status_code = 422
            session.add(PilotRow(name=pilot.name))
        @app.post("/left")
        def left(pilot: Pilot, response: Response):
            if pilot.rank > 5:
                response.status_code = 422
                return {"detail": "no"}
            session.add(PilotRow(name=pilot.name))
        """,
        {("no-stop", "POST /made", "body", "rank"), ("no-stop", "POST /status", "body", "rank")},
    ),
    "late-check": (
        """
        @app.post("/late")
        def late(pilot: Pilot):
            session.add(PilotRow(name=pilot.name))
            session.commit()
            if len(pilot.name) > 20:
                raise HTTPException(422)
        @app.post("/early")
        def early(pilot: Pilot):
            if len(pilot.name) > 20:
                raise HTTPException(422)
            session.add(PilotRow(name=pilot.name))
            session.commit()
        @app.put("/looked/up")
        def looked_up(pilot: Pilot):
            row = session.get(PilotRow, pilot.rank)
            if row is None:
                raise HTTPException(404)
            row.name = pilot.name
            session.commit()
        """,
        {("late-check", "POST /late", "body", "name")},
    ),
    "server-error": (
        """
        class Unmapped(Exception): ...
        class Mapped(Exception): ...
        @app.exception_handler(Mapped)
        def mapped(request, error): return JSONResponse({}, status_code=400)
        class V(BaseModel):
            odd: int
            fine: int
            @field_validator("odd")
            @classmethod
            def is_odd(cls, v):
                if v % 2 == 0: raise TypeError("even")
                return v
            @field_validator("fine")
            @classmethod
            def is_fine(cls, v):
                if v % 2 == 0: raise ValueError("even")
                return v
        @app.get("/raises")
        def raises(rank: Annotated[int, Query(le=99)]):
            if rank > 9: raise Unmapped()
            if rank < 1: raise Mapped()
        @app.post("/validator")
        def validator(v: V): ...
        @app.get("/converted")
        def converted(request: Request):
            return int(request.query_params.get("n", 1))
        @app.get("/caught")
        def caught(request: Request):
            try:
                return int(request.query_params.get("n", 1))
            except ValueError:
                raise HTTPException(400)
        @app.post("/missing")
        def missing(body: dict):
            if "a" not in body: raise HTTPException(422)
            return body["a"] + body["b"]
        """,
        {
            ("server-error", "GET /raises", "query", "rank"),
            ("server-error", "POST /validator", "body", "odd"),
            ("server-error", "GET /converted", "query", "*"),
            ("server-error", "POST /missing", "body", "*"),
            ("bare-input", "POST /missing", "body", "b"),
            ("untyped", "POST /missing", "body", "a"),
        },
    ),
    "untyped": (
        """
        @app.post("/there")
        async def there(request: Request):
            try:
                body = await request.json()
            except ValueError:
                raise HTTPException(400)
            if not body.get("name"): raise HTTPException(422)
            session.add(PilotRow(name=body["name"]))
        @app.post("/text")
        async def text_(request: Request):
            try:
                body = await request.json()
            except ValueError:
                raise HTTPException(400)
            if not isinstance(body.get("name"), str): raise HTTPException(422)
            session.add(PilotRow(name=body["name"]))
        """,
        {("untyped", "POST /there", "body", "name"), ("storage-drift", "POST /text", "body", "name")},
    ),
    "whole-write": (
        """
        store = {}
        class Open(BaseModel):
            model_config = ConfigDict(extra="allow")
            name: str = Field(max_length=9)
        @app.post("/spread")
        def spread(body: dict):
            session.add(PilotRow(**body))
        @app.post("/kept")
        def kept(body: dict):
            store["last"] = body
        @app.post("/open")
        def open_(body: Open):
            session.add(PilotRow(**body.model_dump()))
        @app.post("/chosen")
        def chosen(pilot: Pilot):
            session.add(PilotRow(**pilot.model_dump()))
        """,
        {
            ("whole-write", "POST /spread", "body", "*"),
            ("bare-input", "POST /spread", "body", "*"),
            ("whole-write", "POST /kept", "body", "*"),
            ("bare-input", "POST /kept", "body", "*"),
            ("whole-write", "POST /open", "body", "*"),
            ("unlisted-fields", "POST /open", "body", "*"),
        },
    ),
    "shallow-check": (
        """
        class Watch(BaseModel):
            crew: list[dict] = Field(max_length=9)
            notes: dict[str, Any] = {}
            anything: Any = None
            pilots: list[Pilot] = Field([], max_length=9)
        @app.post("/watch")
        def watch(w: Watch): ...
        """,
        {
            ("shallow-check", "POST /watch", "body", "crew[]"),
            ("shallow-check", "POST /watch", "body", "notes"),
            ("shallow-check", "POST /watch", "body", "anything"),
        },
    ),
    "unbounded": (
        """
        class Note(BaseModel):
            text: str
            short: str = Field(max_length=9)
            count: int
            few: int = Field(le=9)
            words: list[Annotated[str, Field(max_length=9)]]
            code: str = Field(pattern="^[A-Z]{3}$")
            free: str = Field(pattern="^[A-Z]+$")
            when: "dt.date"
            yes: bool
        import datetime as dt
        @app.post("/note")
        def note(n: Note): ...
        """,
        {("unbounded", "POST /note", "body", f) for f in ("text", "count", "words", "free")},
    ),
    "contradiction": (
        """
        class Odd(BaseModel):
            both: int = Field(ge=9, le=3)
            touching: int = Field(gt=3, lt=3)
            fine: int = Field(ge=3, le=3)
            long: str = Field("abcd", max_length=3)
            good: str = Field("abc", max_length=3)
            kind: Annotated[str, Field(pattern="^a$")] = "b"
        @app.post("/odd")
        def odd(o: Odd, size: Annotated[int, Query(le=9)] = 10): ...
        """,
        {("contradiction", "POST /odd", p, f) for p, f in
         (("body", "both"), ("body", "touching"), ("body", "long"), ("body", "kind"), ("query", "size"))},
    ),
    "no-effect and limits that do not fit": (
        """
        class Odd(BaseModel):
            model_config = ConfigDict(anystr_strip_whitespace=True)
            a: str = Field("x", max_lenght=3, max_length=9)
            n: int = Field(1, max_length=3)
            @field_validator("gone", check_fields=False)
            @classmethod
            def check(cls, v):
                if not v: raise ValueError("gone")
                return v
        @app.post("/odd")
        def odd(o: Odd): ...
        """,
        {("no-effect", "POST /odd", "body", "a"), ("no-effect", "POST /odd", "body", None),
         ("server-error", "POST /odd", "body", "n")},
    ),
    "weak-pattern": (
        r"""
        class P(BaseModel):
            open: str = Field(pattern=r"\d{3}", max_length=9)
            start: str = Field(pattern=r"^\d{3}", max_length=9)
            closed: str = Field(pattern=r"^\d{3}$")
            either: str = Field(pattern="^(a|b)$")
            any_of: str = Field(pattern="^a$|^b$")
            digit: str = Field(pattern=r"\d", max_length=9)
        @app.post("/p")
        def p(p: P): ...
        @app.get("/slow")
        def slow(name: Annotated[str, Query(max_length=99)]):
            if not re.fullmatch(r"(a+)+b", name): raise HTTPException(422)
        @app.get("/quick")
        def quick(name: Annotated[str, Query(max_length=99)]):
            if not re.fullmatch(r"a+b", name): raise HTTPException(422)
        """,
        {("weak-pattern", "POST /p", "body", "open"), ("weak-pattern", "POST /p", "body", "start"),
         ("weak-pattern", "GET /slow", "query", "name")},
    ),
    "unused-rules": (
        """
        class Forgotten(BaseModel):
            name: str = Field(max_length=9)
        class NoRules(BaseModel):
            name: str
        class Unnamed(BaseModel):
            name: str
        @app.post("/p")
        def p(p: NoRules): ...
        """,
        {("unused-rules", None, None, None)},
    ),
    "late-settings": (
        """
        from functools import lru_cache
        from pydantic_settings import BaseSettings
        class Early(BaseSettings):
            port: int = Field(80, ge=1, le=99)
        class Late(BaseSettings):
            name: str = Field(max_length=9)
        early = Early()
        @lru_cache
        def late() -> Late: return Late()
        @app.get("/name")
        def name(): return late().name
        """,
        {("late-settings", "SETTINGS main.py#Late", None, None)},
    ),
    "sibling-drift": (
        """
        class Change(BaseModel):
            name: str = Field("ab", min_length=2, max_length=90)
            rank: int | None = Field(None, ge=1, le=9)
        class Same(BaseModel):
            name: Annotated[str, Field(min_length=2, max_length=40)] = "ab"
            rank: int = Field(2, ge=2, le=9)
        @app.post("/pilots")
        def create(pilot: Pilot): return pilot.name
        @app.patch("/pilots/{number}")
        def change(number: Annotated[int, Field(ge=1, le=9)], change: Change): return change.name
        @app.put("/pilots/{number}")
        def replace(number: Annotated[int, Field(ge=1, le=9)], change: Same): return change.name
        @app.patch("/boats/{number}")
        def other(number: Annotated[int, Field(ge=1, le=9)], change: Change): return change.name
        """,
        {("sibling-drift", "PATCH /pilots/{number}", "body", "name")},
    ),
    "storage-drift": (
        """
        class Wide(BaseModel):
            name: str = Field(max_length=60)
        class Void(BaseModel):
            name: str | None = Field(max_length=40)
        @app.post("/long")
        def long(pilot: Wide):
            session.add(PilotRow(name=pilot.name))
            session.commit()
        @app.post("/whole")
        def whole(pilot: Wide):
            session.add(PilotRow(**pilot.model_dump()))
            session.commit()
        @app.post("/void")
        def void(pilot: Void):
            session.add(PilotRow(name=pilot.name))
            session.commit()
        @app.post("/made")
        def made(pilot: Wide):
            session.add(PilotRow(name=pilot.name[:40]))
            session.commit()
        @app.post("/fits")
        def fits(pilot: Pilot):
            session.add(PilotRow(name=pilot.name))
            session.commit()
        """,
        {("storage-drift", "POST /long", "body", "name"), ("storage-drift", "POST /whole", "body", "name"),
         ("storage-drift", "POST /void", "body", "name")},
    ),
}  # fmt: skip


@pytest.mark.parametrize("name", CASES)
def test_gaps(name: str, workshop: Any) -> None:
    source, expected = CASES[name]
    inventory = workshop.survey(HEAD + textwrap.dedent(source))
    mine = [g for g in inventory.gaps if g.where.text != "class Pilot"]  # not every case has a use for it
    found = {(g.kind, g.endpoint and g.endpoint.removeprefix("svc "), g.place, g.field) for g in mine}
    if name not in ("unbounded",):
        found = {g for g in found if g[0] != "unbounded"}
    assert found == expected
    for gap in inventory.gaps:
        assert gap.why
        assert gap.fix
        assert gap.where.line > 0


@pytest.mark.parametrize(
    ("wanted", "missing"),
    [
        ('"fastapi", "pydantic"', {"email-validator", "python-multipart"}),
        ('"fastapi[standard]"', set()),
        ('"fastapi", "pydantic[email]", "python-multipart"', set()),
    ],
)
def test_missing_package(wanted: str, missing: set[str], workshop: Any) -> None:
    source = """
        @app.post("/a")
        def a(mail: Annotated[EmailStr, Form()]): ...
    """
    files = {
        "main.py": HEAD + textwrap.dedent(source),
        "pyproject.toml": f'[project]\nname = "svc"\ndependencies = [{wanted}]\n',
    }
    found = {g.fix.split()[1] for g in workshop.survey(files).gaps if g.kind == "missing-package"}
    assert found == missing


@pytest.mark.parametrize("kind", KINDS)
def test_every_kind_is_explained(kind: str) -> None:
    text = page(kind)
    assert text.startswith(f"# {kind}\n")
    assert "## FastAPI" in text
    assert text.count("```python") >= 2
    assert any(kind in (g[0] for g in gaps) for _, gaps in CASES.values()) or kind == "missing-package"


def test_handlers_that_are_methods(workshop: Any) -> None:
    source = """
        from fastapi_utils.cbv import cbv
        from fastapi import APIRouter
        router = APIRouter()
        def who(x_who: str = Header(max_length=9)): return x_who
        @cbv(router)
        class Pilots:
            who: str = Depends(who)
            @router.post("/pilots/{number}")
            def add(self, number: int, pilot: Pilot):
                self.keep(pilot)
            def keep(self, pilot):
                if pilot.rank > 5:
                    raise HTTPException(422)
        app.include_router(router)
    """
    endpoint = workshop.survey(HEAD + textwrap.dedent(source)).endpoints[0]
    found = {(f.place, f.path): [(c.kind, c.value, c.status) for c in f.constraints] for f in endpoint.fields}
    assert found == {
        ("path", "number"): [],
        ("header", "x-who"): [("maxLength", 9, "runs")],
        ("body", "name"): [("minLength", 2, "runs"), ("maxLength", 40, "runs")],
        ("body", "rank"): [("minimum", 1, "runs"), ("maximum", 9, "runs"), ("maximum", 5, "runs")],
    }
