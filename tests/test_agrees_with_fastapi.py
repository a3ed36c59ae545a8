"""The framework's own document is the truth: every operation, parameter, body field, type, required flag and limit."""

from typing import Any

import pytest

from mappu.inventory.model import Inventory
from openapi import KINDS, flatten, load

APPS: dict[str, str | dict[str, str]] = {
    "plain parameters": """
        from fastapi import FastAPI, Query, Path, Header, Cookie
        from typing import Annotated, Optional
        app = FastAPI()
        @app.get("/a/{item}/{rest:path}")
        def a(item: int, rest: str, q: str, n: int = 3, f: Optional[float] = None, flag: bool = False): ...
        @app.get("/b/{code}")
        def b(code: Annotated[str, Path(min_length=2, max_length=4, pattern="^[a-z]+$")],
              limit: Annotated[int, Query(ge=1, le=50, alias="page-size")] = 10,
              tags: Annotated[list[str], Query(max_length=5)] = [],
              x_token: Annotated[str | None, Header(max_length=20)] = None,
              session_id: Annotated[str, Cookie(min_length=8)] = "12345678",
              odd_name: str = Header(convert_underscores=False)): ...
        @app.delete("/c/")
        def c(ids: list[int] = Query(...), old: str = Query("x", min_length=1, max_length=3)): ...
        @app.api_route("/d", methods=["GET", "POST"])
        def d(q: int): ...
    """,
    "bodies": """
        from fastapi import FastAPI, Body
        from pydantic import BaseModel, Field
        from typing import Annotated, Any
        app = FastAPI()
        class Inner(BaseModel):
            x: int = Field(gt=0, lt=10)
            y: float | None = Field(None, ge=-1.5)
        class Item(BaseModel):
            name: str = Field(min_length=1, max_length=20)
            price: Annotated[float, Field(gt=0)]
            inner: Inner
            many: list[Inner] = []
            by_key: dict[str, int] = Field({}, max_length=3)
            anything: Any = None
            loose: dict[str, Any] = {}
            names: set[str] = set()
            pair: tuple[int, str] = (1, "a")
            words: list[Annotated[str, Field(max_length=9)]] = Field(default_factory=list, min_length=1, max_length=4)
        @app.post("/one")
        def one(item: Item): ...
        @app.put("/many")
        def many(items: list[Item]): ...
        @app.post("/two")
        def two(item: Item, inner: Inner, count: Annotated[int, Body(ge=1)] = 1): ...
        @app.post("/embedded")
        def embedded(item: Annotated[Item, Body(embed=True)]): ...
        @app.patch("/maybe")
        def maybe(item: Item | None = None): ...
        @app.post("/numbers")
        def numbers(values: Annotated[list[int], Body(max_length=3)]): ...
        @app.post("/keyed")
        def keyed(values: dict[str, Inner]): ...
    """,
    "types": """
        import datetime as dt
        import decimal, uuid, enum, ipaddress
        from typing import Literal, NewType, Union, Optional, List, Dict, Annotated
        from fastapi import FastAPI
        from pydantic import (BaseModel, EmailStr, HttpUrl, AnyUrl, PositiveInt, NonNegativeFloat, SecretStr, conint,
                              constr, conlist, StringConstraints, UUID4, Field, StrictInt, IPvAnyAddress)
        from annotated_types import Gt, Len, MaxLen
        from typing_extensions import TypeAliasType
        app = FastAPI()
        class Colour(str, enum.Enum):
            red = "red"
            blue = "blue"
        class Level(enum.IntEnum):
            low = 1
            high = 2
        Code = NewType("Code", str)
        Short = Annotated[str, StringConstraints(max_length=5, pattern=r"^\\w+$", strip_whitespace=True)]
        Alias = TypeAliasType('Alias', list[int])
        class T(BaseModel):
            a: dt.datetime
            b: dt.date
            c: dt.time
            d: dt.timedelta
            e: uuid.UUID
            f: decimal.Decimal
            g: Colour
            h: Level = Level.low
            i: Literal["x", "y"]
            j: Literal[3]
            k: EmailStr
            l: HttpUrl
            m: AnyUrl
            n: PositiveInt
            o: NonNegativeFloat
            p: SecretStr
            q: conint(ge=2, le=4)
            r: constr(min_length=2, max_length=3)
            s: conlist(int, min_length=1, max_length=2)
            t: Code
            u: Short
            v: Alias
            w: UUID4
            x: Union[int, str]
            y: Optional[List[Dict[str, float]]] = None
            z: ipaddress.IPv4Address
            aa: Annotated[int, Gt(3)]
            ab: Annotated[list[str], Len(1, 4)]
            ac: StrictInt
            ad: "Later"
            ae: bytes
            af: Annotated[str, MaxLen(7)] | None = None
            ag: IPvAnyAddress
        class Later(BaseModel):
            n: int = 1
        @app.post("/t")
        def t(body: T): ...
        @app.get("/q")
        def q(c: Colour, when: dt.date, l: Literal["a", "b"] = "a", u: uuid.UUID | None = None, d: decimal.Decimal = 1): ...
    """,
    "inheritance, generics, unions": """
        from typing import Generic, TypeVar, Literal, Union, Annotated
        from dataclasses import dataclass, field
        from fastapi import FastAPI
        from pydantic import BaseModel, Field, RootModel, ConfigDict, computed_field, PrivateAttr
        from typing_extensions import TypedDict, NotRequired
        app = FastAPI()
        T = TypeVar("T")
        class Base(BaseModel):
            id: int = Field(ge=1)
            name: str
            note: str = "x"
        class Child(Base):
            name: str = Field(max_length=5)
            extra: bool = False
            _secret: int = PrivateAttr(3)
            kind_of: "ClassVar[str]" = "child"
            @computed_field
            @property
            def shown(self) -> str: return ""
        from typing import ClassVar
        class Page(BaseModel, Generic[T]):
            items: list[T]
            total: int
        class Wrapped(Page[Child]):
            cursor: str | None = None
        U = TypeVar('U')
        class New(BaseModel, Generic[U]):
            value: U
        class Cat(BaseModel):
            kind: Literal["cat"]
            lives: int = Field(le=9)
        class Dog(BaseModel):
            kind: Literal["dog"]
            breed: str
        class Node(BaseModel):
            label: str
            children: list["Node"] = []
        class Names(RootModel[list[str]]): ...
        class Either(BaseModel):
            pet: Annotated[Union[Cat, Dog], Field(discriminator="kind")]
        @dataclass
        class Point:
            x: int
            y: int = 0
            tags: list[str] = field(default_factory=list)
        class Rec(TypedDict):
            a: int
            b: NotRequired[str]
        @app.post("/child")
        def child(c: Child): ...
        @app.post("/page")
        def page(p: Page[Base]): ...
        @app.post("/wrapped")
        def wrapped(p: Wrapped): ...
        @app.post("/new")
        def new(p: New[int]): ...
        @app.post("/pet")
        def pet(p: Annotated[Union[Cat, Dog], Field(discriminator="kind")]): ...
        @app.post("/either")
        def either(p: Either): ...
        @app.post("/tree")
        def tree(n: Node): ...
        @app.post("/names")
        def names(n: Names): ...
        @app.post("/point")
        def point(p: Point): ...
        @app.post("/rec")
        def rec(r: Rec): ...
    """,
    "aliases and config": """
        from fastapi import FastAPI
        from pydantic import BaseModel, ConfigDict, Field, AliasChoices
        from pydantic.alias_generators import to_camel
        app = FastAPI()
        class Camel(BaseModel):
            model_config = ConfigDict(alias_generator=to_camel, populate_by_name=True, str_max_length=30, extra="forbid")
            first_name: str
            zip_code: str = Field(max_length=5)
            own: int = Field(alias="OWN")
        class Choices(BaseModel):
            a: int = Field(validation_alias=AliasChoices("aa", "aaa"))
            b: str = Field(alias="bee", min_length=2)
        @app.post("/camel")
        def camel(c: Camel): ...
        @app.post("/choices")
        def choices(c: Choices): ...
    """,
    "forms and files": """
        from fastapi import FastAPI, Form, File, UploadFile
        from pydantic import BaseModel, Field
        from typing import Annotated
        app = FastAPI()
        class Login(BaseModel):
            user: str = Field(max_length=10)
            code: int = Field(ge=0)
        @app.post("/fields")
        def fields(name: Annotated[str, Form(min_length=2)], age: int = Form(ge=0), tags: list[str] = Form([])): ...
        @app.post("/model")
        def model(data: Annotated[Login, Form()]): ...
        @app.post("/file")
        def file(upload: UploadFile, others: list[UploadFile] = File([]), raw: bytes = File(), title: str = Form("x")): ...
    """,
    "parameter models and dependencies": """
        from fastapi import FastAPI, APIRouter, Depends, Query, Header, Request
        from pydantic import BaseModel, Field
        from typing import Annotated
        class Filters(BaseModel):
            limit: int = Field(10, le=100)
            order: str = Field("up", pattern="^(up|down)$")
        class Heads(BaseModel):
            x_trace: str
            if_match: str | None = None
        class Pager:
            def __init__(self, page: int = 1, size: Annotated[int, Query(le=50)] = 10): ...
        class Checker:
            def __init__(self, word): self.word = word
            def __call__(self, check: str = ""): ...
        def token(x_key: Annotated[str, Header()]): return x_key
        def user(t: Annotated[str, Depends(token)], team: int | None = None): return t
        User = Annotated[str, Depends(user)]
        def guard(level: int = 0): ...
        app = FastAPI(dependencies=[Depends(guard)])
        router = APIRouter(prefix="/r", dependencies=[Depends(Checker("w"))])
        @app.get("/filters")
        def filters(f: Annotated[Filters, Query()]): ...
        @app.get("/heads")
        def heads(h: Annotated[Heads, Header()]): ...
        @router.get("/chain", dependencies=[Depends(Pager)])
        def chain(u: User, request: Request): ...
        @router.get("/class")
        def klass(p: Pager = Depends(), q: Annotated[Pager, Depends()] = None): ...
        app.include_router(router)
    """,
    "routers across files": {
        "main.py": """
            from fastapi import FastAPI
            import api
            from api import v1 as first
            from api.extra import build
            from api.listed import ROUTERS
            app = FastAPI()
            app.include_router(api.root, prefix="/api")
            app.include_router(first.router, prefix=api.PREFIX + "/v1", tags=["x"])
            app.include_router(build("/made"))
            for router, where in ROUTERS:
                app.include_router(router, prefix=where)
            def register(target):
                target.add_api_route("/added", added, methods=["PUT"])
            def added(n: int): ...
            register(app)
        """,
        "api/__init__.py": """
            from .base import root
            PREFIX = "/api"
        """,
        "api/base.py": """
            from fastapi import APIRouter
            root = APIRouter()
            nested = APIRouter(prefix="/nested")
            @root.get("/")
            def home(): ...
            @nested.post("/deep/{n}")
            def deep(n: int): ...
            root.include_router(nested, prefix="/under")
        """,
        "api/v1.py": """
            from fastapi import APIRouter
            from .models import Thing as Stuff
            router = APIRouter(prefix="/things")
            @router.post("")
            async def make(thing: Stuff): ...
        """,
        "api/models/__init__.py": "from api.models.thing import *\n",
        "api/models/thing.py": """
            from pydantic import BaseModel, Field
            from ..limits import LONGEST
            class Thing(BaseModel):
                name: str = Field(max_length=LONGEST)
        """,
        "api/limits.py": "LONGEST = 4 * 10\n",
        "api/extra.py": """
            from fastapi import APIRouter
            def build(prefix: str) -> APIRouter:
                router = APIRouter(prefix=prefix)
                @router.get("/one")
                def one(q: str): ...
                return router
        """,
        "api/listed.py": """
            from fastapi import APIRouter
            left, right = APIRouter(), APIRouter()
            a = APIRouter()
            b = APIRouter()
            @a.get("/x")
            def x(): ...
            @b.get("/x")
            def y(): ...
            ROUTERS = [(a, "/left"), (b, "/right")]
        """,
    },
}


def flat(inventory: Inventory) -> dict[tuple[str, str, str, str], tuple[Any, ...]]:
    found = {}
    for e in inventory.endpoints:
        for f in e.fields:
            limits = frozenset(
                (c.kind, tuple(c.value) if isinstance(c.value, list) else c.value)
                for c in f.constraints
                if c.kind in KINDS
            )
            # The document writes a converter's parameter without it, and has no name for a body as a whole.
            if f.path != "*":
                found[(e.method, e.path.replace(":path}", "}"), f.place, f.path)] = (
                    f.type,
                    f.required,
                    f.nullable,
                    limits,
                )
    return found


@pytest.mark.parametrize("name", APPS)
def test_agrees(name: str, workshop: Any) -> None:
    root = workshop.write(dict(APPS[name].items()) if isinstance(APPS[name], dict) else APPS[name])
    truth = flatten(load(root / "main.py").app.openapi())
    ours = flat(workshop.survey(APPS[name]))
    missing = {k: truth[k] for k in truth if k not in ours}
    invented = {
        k: ours[k] for k in ours if k not in truth and not (k[3].endswith(("[]", "{}")) and ours[k][0] == "any")
    }
    different = {k: (ours[k], truth[k]) for k in truth if k in ours and _word(ours[k]) != _word(truth[k])}
    assert (missing, invented, different) == ({}, {}, {})


def _word(row: tuple[Any, ...]) -> tuple[Any, ...]:
    """What both name alike: the document adds a least length to URLs."""
    type_, required, nullable, limits = row
    is_url = ("format", "uri") in limits
    kept = frozenset(x for x in limits if not (is_url and x == ("minLength", 1)))
    return type_, required, nullable, kept
