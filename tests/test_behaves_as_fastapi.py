"""Bad requests sent to the real framework: what they meet is what Mappu says of the constraint they break.

Each case is a small service. Each of its rows names a constraint, a request that breaks just this one, and one that is
fine. `STORE` is the service's storage: what a refused request leaves there makes the refusal a leak.
"""

import textwrap
from typing import Any

import pytest
from fastapi.testclient import TestClient

from conftest import endpoint, field
from openapi import load

HEAD = """
import re, json, logging, datetime as dt
from dataclasses import dataclass
from typing import Annotated, Any, Literal, Optional
from fastapi import APIRouter, Body, Cookie, Depends, FastAPI, File, Form, Header, HTTPException, Path, Query, Request, Response
from fastapi import UploadFile, status
from fastapi.responses import JSONResponse
from pydantic import AfterValidator, BaseModel, BeforeValidator, ConfigDict, Field, TypeAdapter, ValidationError
from pydantic import field_validator, model_validator
from sqlmodel import SQLModel
log = logging.getLogger("svc")
app = FastAPI()
STORE = []
class Berth(BaseModel):
    quay: str = Field(max_length=5)
    length: int = Field(gt=0, le=100)
class Loose(BaseModel):
    quay: str
    length: int
"""
OK = {"quay": "n", "length": 5}
LONG = {"quay": "northern", "length": 5}

# name -> (source, rows of (method and path, place, field, kind, bad request, good request, what it is called if not refused))
Row = tuple[str, str, str, str | None, dict[str, Any], dict[str, Any]]
CASES: dict[str, tuple[str, list[Row]]] = {
    "a typed parameter is bound": (
        """
        @app.post("/x")
        def x(b: Berth): STORE.append(b)
        @app.put("/x")
        def y(bs: list[Berth]): STORE.extend(bs)
        @app.get("/q/{n}")
        def q(n: Annotated[int, Path(ge=3)], size: Annotated[int, Query(le=9)] = 1, x_tag: str = Header("a", max_length=2),
              crumb: Annotated[str | None, Cookie(pattern="^a$")] = None): ...
        @app.post("/f")
        def f(name: Annotated[str, Form(min_length=2)]): STORE.append(name)
        """,
        [
            ("POST /x", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /x", "body", "length", "exclusiveMinimum", {"json": {**OK, "length": 0}}, {"json": OK}),
            ("PUT /x", "body", "[].length", "maximum", {"json": [{**OK, "length": 101}]}, {"json": [OK]}),
            ("GET /q/{n}", "path", "n", "minimum", {"url": "/q/2"}, {"url": "/q/3"}),
            ("GET /q/{n}", "query", "size", "maximum", {"url": "/q/3?size=10"}, {"url": "/q/3?size=9"}),
            (
                "GET /q/{n}",
                "header",
                "x-tag",
                "maxLength",
                {"url": "/q/3", "headers": {"x-tag": "abc"}},
                {"url": "/q/3"},
            ),
            ("GET /q/{n}", "cookie", "crumb", "pattern", {"url": "/q/3", "cookies": {"crumb": "b"}}, {"url": "/q/3"}),
            ("POST /f", "form", "name", "minLength", {"data": {"name": "a"}}, {"data": {"name": "ab"}}),
        ],
    ),
    "nothing looks inside": (
        """
        @app.post("/dict")
        def d(body: dict): STORE.append(body)
        @app.post("/any")
        def a(body: Any = Body()): STORE.append(body)
        @app.post("/hand")
        async def h(request: Request): STORE.append(await request.json())
        @app.get("/query")
        def q(request: Request): STORE.append(request.query_params.get("n"))
        @app.get("/untyped")
        def u(n): STORE.append(n)
        @app.post("/list")
        def l(rows: list[dict[str, Any]]): STORE.extend(rows)
        """,
        [
            ("POST /dict", "body", "*", None, {"json": {"a": [1]}}, {"json": {}}),
            ("POST /any", "body", "*", None, {"json": [1, {"a": 2}]}, {"json": 1}),
            ("POST /hand", "body", "*", None, {"json": "text"}, {"json": {}}),
            ("GET /query", "query", "n", None, {"params": {"n": "'; --"}}, {"params": {"n": "1"}}),
            ("GET /untyped", "query", "n", None, {"params": {"n": "'; --"}}, {"params": {"n": "1"}}),
            ("POST /list", "body", "[]{}", None, {"json": [{"a": [None]}]}, {"json": []}),
        ],
    ),
    "built without running a rule": (
        """
        @app.post("/construct")
        def c(body: dict): STORE.append(Berth.model_construct(**body))
        """,
        [("POST /construct", "body", "quay", "maxLength", {"json": LONG}, {"json": OK})],
    ),
    "a table class as body": (
        """
        from sqlmodel import Field as Column
        class Row(SQLModel, table=True):
            id: int | None = Column(default=None, primary_key=True)
            name: str = Column(max_length=3)
        @app.post("/table")
        def t(row: Row): STORE.append(row)
        @app.post("/checked")
        def c(body: dict):
            try:
                row = Row.model_validate(body)
            except ValidationError:
                raise HTTPException(422)
            STORE.append(row)
        """,
        [
            ("POST /table", "body", "name", "maxLength", {"json": {"name": "abcd"}}, {"json": {"name": "abc"}}),
            ("POST /checked", "body", "name", "maxLength", {"json": {"name": "abcd"}}, {"json": {"name": "abc"}}),
        ],
    ),
    "the model run by hand": (
        """
        @app.post("/bare")
        def bare(body: dict): STORE.append(Berth(**body))
        @app.post("/validate")
        def validate(body: dict): STORE.append(Berth.model_validate(body))
        @app.post("/caught")
        async def caught(request: Request):
            try:
                berth = Berth.model_validate(await request.json())
            except ValidationError as e:
                raise HTTPException(422, str(e))
            STORE.append(berth)
        @app.post("/returned")
        async def returned(request: Request):
            data = await request.json()
            try:
                berth = Berth(**data)
            except ValueError:
                return JSONResponse({"detail": "no"}, status_code=400)
            STORE.append(berth)
        @app.post("/passed")
        def passed(body: dict):
            try:
                Berth(**body)
            except ValidationError:
                pass
            STORE.append(body)
        @app.post("/adapter")
        def adapter(body: Any = Body()):
            try:
                rows = TypeAdapter(list[Berth]).validate_python(body)
            except ValidationError:
                raise HTTPException(status_code=status.HTTP_422_UNPROCESSABLE_ENTITY)
            STORE.extend(rows)
        @app.post("/json")
        async def as_json(request: Request):
            try:
                berth = Berth.model_validate_json(await request.body())
            except ValidationError:
                raise HTTPException(422)
            STORE.append(berth)
        """,
        [
            ("POST /bare", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /validate", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /caught", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /returned", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /passed", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /adapter", "body", "[].quay", "maxLength", {"json": [LONG]}, {"json": [OK]}),
            ("POST /json", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
        ],
    ),
    "errors mapped by the app": (
        """
        class Refused(Exception): ...
        class Gone(Exception): ...
        class Unmapped(Exception): ...
        class Own(HTTPException):
            def __init__(self, why): super().__init__(status_code=400, detail=why)
        @app.exception_handler(ValidationError)
        async def invalid(request, error): return JSONResponse({"detail": "x"}, status_code=422)
        @app.exception_handler(Refused)
        async def refused(request, error): return JSONResponse({"detail": "x"}, 409)
        def gone(request, error): return JSONResponse({"detail": "x"}, status_code=500)
        app.add_exception_handler(Gone, gone)
        @app.post("/model")
        def model(body: dict): STORE.append(Berth(**body))
        @app.get("/refused")
        def r(n: int):
            if n > 5: raise Refused()
        @app.get("/gone")
        def g(n: int):
            if n > 5: raise Gone()
        @app.get("/unmapped")
        def u(n: int):
            if n > 5: raise Unmapped("n")
        @app.get("/own")
        def o(n: int):
            if n > 5: raise Own("n")
        """,
        [
            ("POST /model", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("GET /refused", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /gone", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /unmapped", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /own", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
        ],
    ),
    "checks by hand": (
        """
        KINDS = {"a", "b"}
        @app.post("/x")
        def x(body: dict):
            if "name" not in body:
                raise HTTPException(422, "name")
            name = body["name"]
            if not isinstance(name, str):
                raise HTTPException(422, "name")
            if len(name) > 4:
                raise HTTPException(400, detail="too long")
            if not re.fullmatch("[a-z]+", name):
                raise HTTPException(400)
            kind = body.get("kind", "a")
            if kind not in KINDS:
                return JSONResponse({"detail": "kind"}, 422)
            size = body.get("size", 1)
            if size is None or size < 1 or size >= 10:
                raise HTTPException(422)
            if body.get("old") is not None and not body["old"].isdigit():
                raise HTTPException(422)
            assert body.get("even", 2) % 2 == 0
            if body.get("low", 5) < 3:
                raise ValueError("low")
            STORE.append(body)
        """,
        [
            ("POST /x", "body", "name", "required", {"json": {}}, {"json": {"name": "a"}}),
            ("POST /x", "body", "name", "type", {"json": {"name": 4}}, {"json": {"name": "a"}}),
            ("POST /x", "body", "name", "maxLength", {"json": {"name": "abcde"}}, {"json": {"name": "a"}}),
            ("POST /x", "body", "name", "pattern", {"json": {"name": "A"}}, {"json": {"name": "a"}}),
            (
                "POST /x",
                "body",
                "kind",
                "enum",
                {"json": {"name": "a", "kind": "c"}},
                {"json": {"name": "a", "kind": "b"}},
            ),
            (
                "POST /x",
                "body",
                "size",
                "minimum",
                {"json": {"name": "a", "size": 0}},
                {"json": {"name": "a", "size": 1}},
            ),
            (
                "POST /x",
                "body",
                "size",
                "exclusiveMaximum",
                {"json": {"name": "a", "size": 10}},
                {"json": {"name": "a"}},
            ),
            (
                "POST /x",
                "body",
                "old",
                "pattern",
                {"json": {"name": "a", "old": "x"}},
                {"json": {"name": "a", "old": "1"}},
            ),
            ("POST /x", "body", "even", "custom", {"json": {"name": "a", "even": 3}}, {"json": {"name": "a"}}),
            ("POST /x", "body", "low", "minimum", {"json": {"name": "a", "low": 2}}, {"json": {"name": "a"}}),
        ],
    ),
    "checks that do not stop": (
        """
        @app.post("/dropped")
        def dropped(b: Loose):
            if len(b.quay) > 3:
                JSONResponse({"detail": "no"}, status_code=422)
            STORE.append(b)
        @app.post("/injected")
        def injected(b: Loose, response: Response):
            if len(b.quay) > 3:
                response.status_code = 422
            STORE.append(b)
        @app.post("/late")
        def late(b: Loose):
            STORE.append(b)
            if b.length > 50:
                raise HTTPException(422)
        @app.post("/logged")
        def logged(b: Loose):
            if b.length > 50:
                log.warning("long")
            STORE.append(b)
        @app.post("/errors")
        def errors(b: Loose):
            found = []
            if b.length > 50:
                found.append("too long")
            STORE.append(b)
        @app.post("/gathered")
        def gathered(b: Loose):
            found = []
            if b.length > 50:
                found.append("too long")
            if found:
                raise HTTPException(422, found)
            STORE.append(b)
        """,
        [
            ("POST /dropped", "body", "quay", "maxLength", {"json": {**OK, "quay": "west"}}, {"json": OK}),
            ("POST /injected", "body", "quay", "maxLength", {"json": {**OK, "quay": "west"}}, {"json": OK}),
            ("POST /late", "body", "length", "maximum", {"json": {**OK, "length": 51}}, {"json": OK}),
            ("POST /logged", "body", "length", "maximum", {"json": {**OK, "length": 51}}, {"json": OK}),
            ("POST /errors", "body", "length", "maximum", {"json": {**OK, "length": 51}}, {"json": OK}),
            ("POST /gathered", "body", "length", "maximum", {"json": {**OK, "length": 51}}, {"json": OK}),
        ],
    ),
    "checks in helpers and dependencies": (
        """
        def insist(n):
            if n > 7:
                raise HTTPException(400)
        def fits(n: int) -> bool:
            if n > 7:
                return False
            return True
        def short(text): return len(text) <= 3
        def problem(text):
            if len(text) > 3:
                return "too long"
            return None
        def counted(n: int):
            if n < 2:
                raise HTTPException(status_code=422)
            return n
        class Desk:
            def take(self, n):
                if n > 7:
                    raise HTTPException(400)
        desk = Desk()
        @app.get("/insist")
        def a(n: int): insist(n)
        @app.get("/fits")
        def b(n: int):
            if not fits(n):
                raise HTTPException(422)
        @app.get("/short")
        def c(text: str):
            if not short(text):
                raise HTTPException(422)
        @app.get("/problem")
        def d(text: str):
            wrong = problem(text)
            if wrong:
                raise HTTPException(422, wrong)
        @app.get("/ignored")
        def e(n: int): fits(n)
        @app.get("/counted")
        def f(n: Annotated[int, Depends(counted)]): ...
        @app.get("/listed", dependencies=[Depends(counted)])
        def g(): ...
        @app.get("/desk")
        def h(n: int): desk.take(n)
        @app.get("/converted")
        def i(request: Request):
            return int(request.query_params.get("n", "1"))
        @app.get("/converted/caught")
        def j(request: Request):
            try:
                return int(request.query_params.get("n", "1"))
            except ValueError:
                raise HTTPException(400)
        """,
        [
            ("GET /insist", "query", "n", "maximum", {"params": {"n": 8}}, {"params": {"n": 7}}),
            ("GET /fits", "query", "n", "maximum", {"params": {"n": 8}}, {"params": {"n": 7}}),
            ("GET /short", "query", "text", "maxLength", {"params": {"text": "abcd"}}, {"params": {"text": "abc"}}),
            ("GET /problem", "query", "text", "maxLength", {"params": {"text": "abcd"}}, {"params": {"text": "abc"}}),
            ("GET /counted", "query", "n", "minimum", {"params": {"n": 1}}, {"params": {"n": 2}}),
            ("GET /listed", "query", "n", "minimum", {"params": {"n": 1}}, {"params": {"n": 2}}),
            ("GET /desk", "query", "n", "maximum", {"params": {"n": 8}}, {"params": {"n": 7}}),
            ("GET /converted", "query", "n", "type", {"params": {"n": "x"}}, {"params": {"n": 7}}),
            ("GET /converted/caught", "query", "n", "type", {"params": {"n": "x"}}, {"params": {"n": 7}}),
        ],
    ),
    "validators": (
        """
        def even(n: int) -> int:
            if n % 2: raise ValueError("odd")
            return n
        def odd_type(n: int) -> int:
            if n % 2: raise TypeError("odd")
            return n
        class V(BaseModel):
            a: int = 2
            b: Annotated[int, AfterValidator(even)] = 2
            c: Annotated[int, AfterValidator(odd_type)] = 2
            d: int = 2
            e: int = 2
            f: str = "x"
            start: int = 1
            end: int = 2
            @field_validator("a")
            @classmethod
            def check_a(cls, v):
                if v > 5: raise ValueError("a")
                return v
            @field_validator("d")
            @classmethod
            def check_d(cls, v):
                if v > 5: raise KeyError("d")
                return v
            @field_validator("e", mode="before")
            @classmethod
            def check_e(cls, v):
                assert v != 9, "nine"
                return v
            @field_validator("f")
            @classmethod
            def check_f(cls, v):
                if v == "no": raise HTTPException(400, "f")
                return v
            @model_validator(mode="after")
            def ordered(self):
                if self.end < self.start: raise ValueError("order")
                return self
        @app.post("/v")
        def v(v: V): STORE.append(v)
        """,
        [
            ("POST /v", "body", "a", "custom", {"json": {"a": 6}}, {"json": {}}),
            ("POST /v", "body", "b", "custom", {"json": {"b": 3}}, {"json": {}}),
            ("POST /v", "body", "c", "custom", {"json": {"c": 3}}, {"json": {}}),
            ("POST /v", "body", "d", "custom", {"json": {"d": 6}}, {"json": {}}),
            ("POST /v", "body", "e", "custom", {"json": {"e": 9}}, {"json": {}}),
            ("POST /v", "body", "f", "custom", {"json": {"f": "no"}}, {"json": {}}),
            ("POST /v", "body", "end", "custom", {"json": {"end": 0}}, {"json": {}}),
        ],
    ),
    "limits that do not fit their type": (
        """
        class Odd(BaseModel):
            n: int = Field(1, max_length=3)
            s: str = Field("x", gt=3)
            p: int = Field(1, pattern="^1$")
            d: dt.date = Field(dt.date(2020, 1, 2), ge=dt.date(2020, 1, 1))
            keys: dict[str, int] = Field({}, max_length=1)
            many: list[int] = Field([], max_length=1)
            maybe: int | None = Field(None, le=3)
        @app.post("/odd")
        def odd(o: Odd): STORE.append(o)
        """,
        [
            ("POST /odd", "body", "n", "maxLength", {"json": {"n": 1}}, {"json": {}}),
            ("POST /odd", "body", "s", "exclusiveMinimum", {"json": {"s": "a"}}, {"json": {}}),
            ("POST /odd", "body", "p", "pattern", {"json": {"p": 2}}, {"json": {}}),
            ("POST /odd", "body", "d", "minimum", {"json": {"d": "2019-01-01"}}, {"json": {"d": "2021-01-01"}}),
            (
                "POST /odd",
                "body",
                "keys",
                "maxProperties",
                {"json": {"keys": {"a": 1, "b": 2}}},
                {"json": {"keys": {"a": 1}}},
            ),
            ("POST /odd", "body", "many", "maxItems", {"json": {"many": [1, 2]}}, {"json": {"many": [1]}}),
            ("POST /odd", "body", "maybe", "maximum", {"json": {"maybe": 4}}, {"json": {"maybe": None}}),
        ],
    ),
    "models as parameters and dependencies": (
        """
        class Filters(BaseModel):
            limit: int = Field(10, le=100)
            order: str = Field("up", pattern="^(up|down)$")
            low: int = 1
            @field_validator("low")
            @classmethod
            def check_low(cls, v):
                if v < 0: raise ValueError("low")
                return v
        @dataclass
        class Plain:
            size: Annotated[int, Query(le=9)] = 1
        @app.get("/query")
        def a(f: Annotated[Filters, Query()]): ...
        @app.get("/depends")
        def b(f: Annotated[Filters, Depends()]): ...
        @app.get("/plain")
        def c(p: Annotated[Plain, Depends()]): ...
        """,
        [
            ("GET /query", "query", "limit", "maximum", {"params": {"limit": 101}}, {}),
            ("GET /query", "query", "low", "custom", {"params": {"low": -1}}, {}),
            ("GET /depends", "query", "limit", "maximum", {"params": {"limit": 101}}, {}),
            ("GET /depends", "query", "order", "pattern", {"params": {"order": "x"}}, {}),
            ("GET /depends", "query", "low", "custom", {"params": {"low": -1}}, {}),
            ("GET /plain", "query", "size", "maximum", {"params": {"size": 10}}, {}),
        ],
    ),
    "checks that hold for some requests only": (
        """
        @app.post("/x")
        def x(b: Loose, mode: str = "a"):
            if mode == "a":
                if b.length > 5:
                    raise HTTPException(422)
            STORE.append(b)
        @app.post("/else")
        def e(b: Loose, mode: str = "a"):
            if mode != "a":
                STORE.append(mode)
            elif b.length > 5:
                raise HTTPException(422)
            STORE.append(b)
        @app.post("/there")
        def there(body: dict):
            if body.get("n") is not None:
                if body["n"] > 5:
                    raise HTTPException(422)
            STORE.append(body)
        @app.post("/chain")
        def chain(b: Loose):
            if b.length < 1:
                raise HTTPException(422)
            elif b.length > 5:
                raise HTTPException(422)
            else:
                STORE.append(b)
        """,
        [
            ("POST /x", "body", "length", "custom", {"json": {**OK, "length": 6}}, {"json": OK}),
            ("POST /else", "body", "length", "custom", {"json": {**OK, "length": 6}}, {"json": OK}),
            ("POST /there", "body", "n", "maximum", {"json": {"n": 6}}, {"json": {}}),
            ("POST /chain", "body", "length", "minimum", {"json": {**OK, "length": 0}}, {"json": OK}),
            ("POST /chain", "body", "length", "maximum", {"json": {**OK, "length": 6}}, {"json": OK}),
        ],
    ),
    "checks in all their spellings": (
        """
        from enum import Enum
        NAME = re.compile("[a-z]+")
        class Side(str, Enum):
            port = "port"
        @app.post("/rows")
        def rows(rows: list[Loose]):
            for row in rows:
                if row.length > 5:
                    raise HTTPException(422)
            STORE.extend(rows)
        @app.post("/any")
        def any_(rows: list[Loose]):
            if any(row.length > 5 for row in rows):
                raise HTTPException(422)
            if len(rows) > 3 or not rows:
                raise HTTPException(422)
            STORE.extend(rows)
        @app.post("/match")
        def match_(b: Loose):
            match b.quay:
                case "n" | "s":
                    STORE.append(b)
                case _:
                    raise HTTPException(422)
        @app.post("/walrus")
        def walrus(b: Loose):
            if (size := len(b.quay)) > 3:
                raise HTTPException(422, f"{size}")
            STORE.append(b)
        @app.post("/compiled")
        def compiled(b: Loose):
            if NAME.fullmatch(b.quay) is None:
                raise HTTPException(422)
            if not 1 <= b.length <= 9:
                raise HTTPException(422)
            STORE.append(b)
        @app.post("/try")
        def try_(b: dict):
            try:
                side = Side(b["side"])
                when = dt.date.fromisoformat(b["when"])
            except (ValueError, KeyError):
                raise HTTPException(422)
            else:
                STORE.append(side)
            finally:
                log.info("done")
        @app.post("/two")
        def two(b: dict):
            if b["password"] != b["again"]:
                raise HTTPException(422)
            STORE.append(b)
        @app.post("/ends")
        def ends(b: Loose):
            if not b.quay.startswith("q-") or "@" not in b.quay:
                raise HTTPException(422)
            STORE.append(b)
        @app.post("/type")
        def type_(b: dict):
            if not isinstance(b.get("n"), int) or b["n"] % 2:
                raise HTTPException(422)
            STORE.append(b)
        @app.post("/none")
        def none(b: dict):
            name = b.get("name")
            if not name:
                return JSONResponse(status_code=400, content={})
            if name.strip() in ("", "x"):
                raise HTTPException(status.HTTP_400_BAD_REQUEST)
            STORE.append(b)
        """,
        [
            ("POST /rows", "body", "[].length", "maximum", {"json": [{**OK, "length": 6}]}, {"json": [OK]}),
            ("POST /any", "body", "[].length", "maximum", {"json": [{**OK, "length": 6}]}, {"json": [OK]}),
            ("POST /any", "body", "*", "maxItems", {"json": [OK] * 4}, {"json": [OK]}),
            ("POST /match", "body", "quay", "enum", {"json": {**OK, "quay": "w"}}, {"json": OK}),
            ("POST /walrus", "body", "quay", "maxLength", {"json": {**OK, "quay": "west"}}, {"json": OK}),
            ("POST /compiled", "body", "quay", "pattern", {"json": {**OK, "quay": "N"}}, {"json": OK}),
            ("POST /compiled", "body", "length", "minimum", {"json": {**OK, "length": 0}}, {"json": OK}),
            ("POST /compiled", "body", "length", "maximum", {"json": {**OK, "length": 10}}, {"json": OK}),
            (
                "POST /try",
                "body",
                "when",
                "type",
                {"json": {"side": "port", "when": "x"}},
                {"json": {"side": "port", "when": "2020-01-01"}},
            ),
            (
                "POST /two",
                "body",
                "password",
                "equalsField",
                {"json": {"password": "a", "again": "b"}},
                {"json": {"password": "a", "again": "a"}},
            ),
            ("POST /ends", "body", "quay", "pattern", {"json": {**OK, "quay": "x@"}}, {"json": {**OK, "quay": "q-@"}}),
            ("POST /type", "body", "n", "type", {"json": {"n": "2"}}, {"json": {"n": 2}}),
            ("POST /type", "body", "n", "custom", {"json": {"n": 3}}, {"json": {"n": 2}}),
            ("POST /none", "body", "name", "required", {"json": {}}, {"json": {"name": "a"}}),
            ("POST /none", "body", "name", "custom", {"json": {"name": "x"}}, {"json": {"name": "a"}}),
        ],
    ),
    "errors met on the way out": (
        """
        import functools
        from contextlib import contextmanager
        from fastapi.concurrency import run_in_threadpool
        class Wrong(Exception): ...
        class Odd(Exception): ...
        class Late(ValueError): ...
        @app.middleware("http")
        async def around(request: Request, call_next):
            try:
                return await call_next(request)
            except Odd:
                return JSONResponse({}, status_code=400)
        def answering(function):
            @functools.wraps(function)
            def inner(*args, **kwargs):
                try:
                    return function(*args, **kwargs)
                except Wrong as error:
                    raise HTTPException(409, str(error))
            return inner
        def logged(function):
            @functools.wraps(function)
            def inner(*args, **kwargs):
                try:
                    result = function(*args, **kwargs)
                    try:
                        log.info("done")
                    except Exception:
                        pass
                    return result
                except Exception as error:
                    log.info("failed")
                    raise error
            return inner
        @contextmanager
        def turning():
            try:
                yield
            except Late:
                raise HTTPException(status_code=400)
        def refusal(text): return JSONResponse({"detail": text}, status_code=422)
        def not_found(): return HTTPException(404)
        def verdict(n):
            if n > 5:
                return refusal("too long")
            return None
        def check(n):
            if n > 5:
                raise Wrong()
        def checked(model, data):
            try:
                return model.model_validate(data)
            except ValidationError as error:
                raise HTTPException(422) from error
        @app.get("/middleware")
        async def a(n: int):
            if n > 5: raise Odd()
        @app.get("/decorated")
        @answering
        def b(n: int): check(n)
        @answering
        @app.get("/too/high")
        def c(n: int): check(n)
        @app.get("/context")
        def d(n: int):
            with turning():
                if n > 5: raise Late()
        @app.get("/refusal")
        def e(n: int):
            if n > 5: return refusal("n")
        @app.get("/logged")
        @logged
        def logged_(n: int):
            if n > 5: raise HTTPException(400)
        @app.get("/closure")
        def closure(n: int):
            problems = []
            def look():
                if n > 5: problems.append("too long")
            look()
            if problems: raise HTTPException(422, problems)
        @app.get("/made")
        def f(n: int):
            if n > 5: raise not_found()
        @app.get("/verdict")
        def g(n: int):
            wrong = verdict(n)
            if wrong is not None:
                return wrong
        @app.get("/thread")
        async def h(n: int): await run_in_threadpool(check, n)
        @app.post("/handed")
        def i(body: dict): STORE.append(checked(Berth, body))
        @app.post("/nested")
        def j(body: dict):
            def inner(data):
                STORE.append(checked(Berth, data))
            inner(body)
        @app.get("/again")
        def k(n: int):
            try:
                check(n)
            except Wrong:
                log.info("n")
                raise
        @app.get("/login")
        def l(n: int):
            if n > 5: raise HTTPException(status_code=303, headers={"location": "/login"})
        """,
        [
            ("GET /middleware", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /decorated", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /too/high", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /context", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /refusal", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /closure", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /logged", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /made", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /verdict", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("GET /thread", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
            ("POST /handed", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("POST /nested", "body", "quay", "maxLength", {"json": LONG}, {"json": OK}),
            ("GET /again", "query", "n", "maximum", {"params": {"n": 6}}, {"params": {"n": 5}}),
        ],
    ),
}


def observed(client: TestClient, store: list[Any], at: str, request: dict[str, Any]) -> tuple[int, bool]:
    """The status of a request, and whether it left anything in storage."""
    store.clear()
    method, path = at.split(" ")
    client.cookies = request.get("cookies", {})
    given = {k: v for k, v in request.items() if k not in ("url", "cookies")}
    status = client.request(method, request.get("url", path), **given).status_code
    return status, bool(store)


@pytest.mark.parametrize("name", CASES)
def test_status_agrees(name: str, workshop: Any) -> None:
    source, rows = CASES[name]
    text = HEAD + textwrap.dedent(source)
    module = load(workshop.write(text) / "main.py")
    inventory = workshop.survey(text)
    client = TestClient(module.app, raise_server_exceptions=False)
    wrong = []
    for at, place, path, kind, bad, good in rows:
        status, _ = observed(client, module.STORE, at, good)
        assert status < 300, (at, path, kind, "the request that should be fine", status)
        status, stored = observed(client, module.STORE, at, bad)
        found = field(endpoint(inventory, at), path, place)
        if kind is None:
            said, true = {found.standing}, {"bare"} if status < 300 else {"not bare"}
        else:
            said = {c.status for c in found.constraints if c.kind == kind}
            true = {"breaks"} if status >= 500 else {"runs"} if status >= 400 and not stored else {"leaks", "idle"}
        if not said or not said <= true:
            wrong.append(
                f"{at} {path} {kind}: the service answered {status}{' and stored' * stored}, Mappu says {said}"
            )
    assert not wrong, "\n".join(wrong)
