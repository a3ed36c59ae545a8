"""A service in pydantic 1's spellings. `pydantic1.json` beside it is what FastAPI 0.95.2 with pydantic 1.10.21 made of it:

python -c "import json, pydantic1_app as a; print(json.dumps(a.app.openapi(), indent=1))" > pydantic1.json
"""

import datetime as dt
from decimal import Decimal
from typing import Generic, TypeVar

from fastapi import Depends, FastAPI, Query
from pydantic import BaseModel, EmailStr, Field, NonNegativeInt, conint, conlist, constr, root_validator, validator
from pydantic.generics import GenericModel

app = FastAPI()
T = TypeVar("T")


class Berth(BaseModel):
    code: constr(regex="^[A-Z]{2}$", strip_whitespace=True)
    depth: conint(gt=0, le=30)
    tags: conlist(str, min_items=1, max_items=3)
    mails: list[EmailStr] = Field([], max_items=2)
    unique: set[int] = set()
    note: str | None
    maybe: int | None = None
    price: Decimal = Field(..., gt=0)
    until: dt.date
    pattern: str = Field("a", regex="^a$")
    count: NonNegativeInt = 0
    aliased: str = Field(..., alias="ALIASED", min_length=2)

    class Config:
        allow_population_by_field_name = True
        max_anystr_length = 40
        extra = "forbid"

    @validator("depth")
    def odd(cls, v):
        if v % 2 == 0:
            raise ValueError("even")
        return v

    @root_validator
    def all_of_it(cls, values):
        if values.get("count", 0) > 100:
            raise ValueError("too many")
        return values


def camel(name: str) -> str:
    first, *rest = name.split("_")
    return first + "".join(r.title() for r in rest)


class Camel(BaseModel):
    long_name: int

    class Config:
        alias_generator = camel


class Page(GenericModel, Generic[T]):
    items: list[T]
    by_key: dict[str, T] = {}


class Tree(BaseModel):
    label: str
    children: list["Tree"] = []


Tree.update_forward_refs()


@app.post("/berths")
def berths(berth: Berth, q: str = Query(None, regex="^x")): ...


@app.post("/camel")
def camels(c: Camel): ...


@app.post("/page")
def page(p: Page[Camel]): ...


@app.post("/tree")
def tree(t: Tree): ...


def common(limit: int = Query(10, le=50), skip: int = 0): ...


@app.get("/common")
def listed(c: dict = Depends(common), ids: list[int] = Query([], max_items=4)): ...
