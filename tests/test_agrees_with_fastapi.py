"""The framework's own document is the truth: every operation, parameter, body field, type, required flag and limit."""

import json
from pathlib import Path
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
    "where a parameter comes from": """
        import enum
        from typing import Annotated, Any, List, Optional, Union
        from fastapi import Body, Cookie, FastAPI, File, Header, Query, UploadFile
        from pydantic import BaseModel, Field
        app = FastAPI()
        class M(BaseModel):
            n: int = Field(le=9)
        class Side(enum.Enum):
            port = "port"
            starboard = "starboard"
        Ids = Annotated[list[int], Query(max_length=7)]
        Limit = Annotated[int, Query(ge=1), Query(le=50)]
        @app.post("/list")
        def a(ids: list[int]): ...
        @app.post("/map")
        def b(m: dict[str, int]): ...
        @app.post("/maybe")
        def c(m: Optional[M] = None, q: Optional[int] = None): ...
        @app.post("/union")
        def d(m: Union[M, None]): ...
        @app.post("/scalar")
        def e(n: int = Body(ge=3), s: str = "x"): ...
        @app.get("/sets")
        def f(s: set[str] = Query(), t: tuple[int, int] = Query((1, 2)), l: List[Side] = Query([], min_length=1)): ...
        @app.get("/alias")
        def g(ids: Ids = [1], limit: Limit = 5, side: Side = Side.port): ...
        @app.get("/heads")
        def h(a_b: Annotated[list[str] | None, Header()] = None, c: Annotated[int, Header(alias="X-Count", ge=0)] = 1,
              k: str | None = Cookie(None, alias="kk", min_length=2)): ...
        @app.post("/files")
        def i(one: Optional[UploadFile] = None, many: list[bytes] = File(), note: Annotated[str | None, Body()] = None): ...
        @app.post("/mixed/{p}")
        def j(p: float, m: M, flag: bool, other: Annotated[M | None, Body()] = None): ...
        @app.get("/star")
        def k(*, required: int, optional: float = 1.5, anything: Any = None): ...
    """,
    "fields in all their spellings": """
        import datetime as dt
        import decimal
        import enum
        from typing import Annotated, ClassVar, Generic, Literal, Optional, TypeVar
        from annotated_types import Ge, Gt, Interval, Le, Lt, MinLen, MultipleOf
        from fastapi import FastAPI
        from pydantic import AliasPath, BaseModel, ConfigDict, Field, PrivateAttr, conlist, conset, constr, create_model
        from pydantic import dataclasses
        from pydantic.alias_generators import to_pascal
        from sqlmodel import Field as Column, SQLModel
        from typing_extensions import TypedDict
        app = FastAPI()
        SHORT = 3
        class Auto(enum.Enum):
            def _generate_next_value_(name, start, count, last): return name
            one = enum.auto()
            two = enum.auto()
        class Plain(enum.Enum):
            one = enum.auto()
            two = enum.auto()
        class A(BaseModel, extra="forbid", str_max_length=50):
            auto: Auto
            number: Plain = Plain.two
            _own: int = PrivateAttr(1)
            registry: ClassVar[dict] = {}
            step: int = Field(multiple_of=5, ge=0)
            both: Annotated[int, Ge(1), Le(9)]
            nested: Annotated[Annotated[int, Gt(1)], Lt(5)] = 2
            span: Annotated[float, Interval(gt=0, le=1)] = 0.5
            even: Annotated[int, MultipleOf(2)] = 2
            short: str = Field(max_length=SHORT)
            long: str = Field(max_length=SHORT * 100)
            hidden: str = Field("x", exclude=True)
            made: list[int] = Field(default_factory=list, max_length=4)
            needed: Optional[int]
            null: None = None
            price: decimal.Decimal = Field(gt=0, max_digits=6, decimal_places=2)
            until: dt.date = Field(ge=dt.date(2020, 1, 1))
            one: Literal["a"] | Literal["b"] = "a"
            grid: list[Annotated[list[Annotated[int, Le(3)]], MinLen(2)]] = []
            lists: dict[str, list[Annotated[str, Field(min_length=1)]]] = {}
            letters: conlist(constr(max_length=1), min_length=2) = ["a", "b"]
            pair: conset(int, max_length=2) = set()
            many: tuple[int, ...] = ()
            described: int = Field(..., description="d", examples=[1], lt=100)
        class B(A):
            model_config = ConfigDict(alias_generator=to_pascal)
            step: float = 1.0
            extra_one: bool
        class C(BaseModel):
            class Config:
                populate_by_name = True
                str_min_length = 2
            deep: str = Field(validation_alias=AliasPath("deep", "inner"), default="xx")
            plain: str
            aliased: int = Field(3, alias="ALIASED", ge=1)
        Made = create_model("Made", x=(int, 3), y=(Annotated[str, Field(max_length=2)], ...))
        @dataclasses.dataclass
        class D:
            a: int = Field(ge=1)
            b: str = "x"
        class E(TypedDict, total=False):
            a: int
            b: Annotated[str, Field(max_length=3)]
        class F(SQLModel):
            name: str = Column(max_length=9)
            age: int | None = Column(default=None, ge=0)
        K, V = TypeVar("K"), TypeVar("V")
        class Pair(BaseModel, Generic[K, V]):
            key: K
            value: V
        class Both(BaseModel):
            first: Pair[str, int]
            second: Pair[int, list[D]]
        class Either(BaseModel):
            what: A | F | int
        @app.post("/b")
        def b(b: B): ...
        @app.post("/made")
        def made(m: Made): ...
        @app.post("/d")
        def d(d: D): ...
        @app.post("/e")
        def e(e: E): ...
        @app.post("/f")
        def f(f: F): ...
        @app.post("/both")
        def both(b: Both): ...
        @app.post("/either")
        def either(e: Either): ...
        @app.post("/a")
        def a(a: A): ...
    """,
    "dependencies of every kind": """
        from typing import Annotated
        from fastapi import APIRouter, Cookie, Depends, FastAPI, Form, Header, Query, Security
        from fastapi.security import OAuth2PasswordBearer, OAuth2PasswordRequestForm
        from pydantic import BaseModel, Field
        oauth = OAuth2PasswordBearer(tokenUrl="t")
        def first(a: int = 1): ...
        def second(b: Annotated[int, Query(le=3)], f=Depends(first)): ...
        async def third(c: str = Header(min_length=2), s=Depends(second)): yield c
        class Many:
            def __init__(self, d: int, one: Annotated[None, Depends(first)]): ...
        class Called:
            def __call__(self, e: str = Cookie("x")): ...
        called = Called()
        def maker(limit):
            def inner(g: int = limit): ...
            return inner
        class Base:
            async def method(self, h: bool = False): ...
        service = Base()
        class Search(BaseModel):
            text: str = Field(max_length=5)
            page: int = 1
        Common = Annotated[dict, Depends(second)]
        app = FastAPI(dependencies=[Depends(first)])
        api = APIRouter(dependencies=[Depends(called)])
        @api.get("/one", dependencies=[Security(third, scopes=["x"])])
        def one(c: Common, token: Annotated[str, Depends(oauth)]): ...
        @api.get("/two")
        def two(m: Many = Depends(Many), n: int = Depends(maker(3))): ...
        @api.get("/three")
        def three(m: Annotated[Many, Depends()], x=Depends(service.method)): ...
        @api.get("/four")
        def four(s: Annotated[Search, Depends()]): ...
        def limited(): return Depends(first)
        def bounded(): return Query(7, le=9)
        @api.get("/returned")
        def returned(a=limited(), q: int = bounded()): ...
        @api.get("/lambda")
        def five(x=Depends(lambda z=1: z)): ...
        def other(k: int = 5): ...
        app.include_router(api, prefix="/x", dependencies=[Depends(other)])
    """,
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
    """What both name alike: the document adds a least length to URLs, and leaves out what JSON Schema has no word for."""
    type_, required, nullable, limits = row
    is_url = ("format", "uri") in limits
    # A limit that is not a plain number is in no document.
    kept = frozenset(
        x
        for x in limits
        if not (is_url and x == ("minLength", 1)) and not (x[0] == "minimum" and isinstance(x[1], str))
    )
    return type_, required, nullable, kept


def test_agrees_with_version_one_as_recorded(workshop: Any) -> None:
    """The old pair cannot be installed beside the new one: its document was recorded, and the file says how."""
    recorded = Path(__file__).parent / "recorded"
    files = {
        "main.py": (recorded / "pydantic1_app.py").read_text(),
        "requirements.txt": "fastapi==0.95.2\npydantic[email]<2\n",
    }
    truth = flatten(json.loads((recorded / "pydantic1.json").read_text()))
    inventory = workshop.survey(files)
    # A limit of the whole model is in no document of version 1.
    ours = {k: (*_word(v)[:3], _word(v)[3] - {("maxLength", 40)}) for k, v in flat(inventory).items()}
    # Version 1's document knows no null, and says nothing of `count` through a constrained type's own minimum of zero.
    nulls = {k: (*v[:2], ours.get(k, v)[2], *v[3:]) for k, v in truth.items()}
    assert {k: ours.get(k) for k in nulls} == {k: _word(v) for k, v in nulls.items()}
    assert not [k for k in ours if k not in truth and not (k[3].endswith(("[]", "{}")) and ours[k][0] == "any")]
    custom = {
        (f.path, c.value) for e in inventory.endpoints for f in e.fields for c in f.constraints if c.kind == "custom"
    }
    assert custom == {("depth", "odd"), ("count", "all_of_it")}
