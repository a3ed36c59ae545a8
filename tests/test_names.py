"""Names across files: whatever way a model is brought to the handler, it is found, or the place is said."""

from typing import Any

import pytest

import mappu
from conftest import endpoint

MODEL = """
from pydantic import BaseModel, Field
class Berth(BaseModel):
    code: str = Field(max_length=4)
"""

# name -> files beside main.py and models.py (a package with the model), and the import and the annotation in main.py.
CASES: dict[str, tuple[dict[str, str], str, str]] = {
    "beside it": ({}, "from models import Berth", "Berth"),
    "under another name": ({}, "from models import Berth as B", "B"),
    "through the module": ({}, "import models", "models.Berth"),
    "through the module under another name": ({}, "import models as m", "m.Berth"),
    "star": ({}, "from models import *", "Berth"),
    "as text": ({}, "from models import Berth", "'Berth'"),
    "as text inside": ({}, "from models import Berth\nfrom typing import Optional", "Optional['Berth']"),
    "for type checkers only": (
        {},
        "from typing import TYPE_CHECKING\nif TYPE_CHECKING:\n    from models import Berth",
        "'Berth'",
    ),
    "alias": ({}, "from models import Berth\nShort = Berth", "Short"),
    "alias of an alias": ({}, "import models\nA = models.Berth\nC = A", "C"),
    "annotated alias elsewhere": (
        {
            "kinds.py": "import typing as t\nfrom fastapi import Body\nfrom models import Berth\n"
            "Given = t.Annotated[Berth, Body()]\n"
        },
        "from kinds import Given",
        "Given",
    ),
    "re-exported": (
        {"pkg/__init__.py": "from .inner import Berth\n", "pkg/inner.py": MODEL},
        "from pkg import Berth",
        "Berth",
    ),
    "re-exported twice with a star": (
        {
            "pkg/__init__.py": "from .sub import *\n",
            "pkg/sub/__init__.py": "from .deep import *\n",
            "pkg/sub/deep.py": MODEL,
        },
        "import pkg",
        "pkg.Berth",
    ),
    "submodule by its path": ({"pkg/__init__.py": "", "pkg/inner.py": MODEL}, "import pkg.inner", "pkg.inner.Berth"),
    "relative from above": (
        {
            "pkg/__init__.py": "",
            "pkg/inner.py": MODEL,
            "pkg/sub/__init__.py": "",
            "pkg/sub/up.py": "from ..inner import Berth\n",
        },
        "from pkg.sub.up import Berth",
        "Berth",
    ),
    "below src": ({"src/pkg/__init__.py": "", "src/pkg/inner.py": MODEL}, "from pkg.inner import Berth", "Berth"),
    "one of two": (
        {"old.py": MODEL},
        "try:\n    from new_place import Berth\nexcept ImportError:\n    from old import Berth",
        "Berth",
    ),
    "inside a class": (
        {"outer.py": "import models\nclass Models:\n    Berth = models.Berth\n"},
        "from outer import Models",
        "Models.Berth",
    ),
    "inherited across files": (
        {"kinds.py": "from models import Berth as Base\nclass Berth(Base):\n    note: bool = False\n"},
        "from kinds import Berth",
        "Berth",
    ),
    "from a stub": ({"stub.pyi": MODEL}, "from stub import Berth", "Berth"),
    "round in a circle": (
        {"left.py": "from right import Berth, Other\n" + MODEL, "right.py": "from left import Berth\nOther = Berth\n"},
        "from right import Other",
        "Other",
    ),
}


@pytest.mark.parametrize("name", CASES)
def test_the_model_is_found(name: str, workshop: Any) -> None:
    files, imported, annotation = CASES[name]
    main = f"from fastapi import FastAPI\n{imported}\napp = FastAPI()\n@app.post('/x')\ndef x(b: {annotation}): ...\n"
    inventory = workshop.survey({"models.py": MODEL, **files, "main.py": main})
    found = endpoint(inventory, "POST /x")
    codes = [f for f in found.fields if f.path == "code"]
    assert [(c.kind, c.value, c.status) for c in codes[0].constraints] == [("maxLength", 4, "runs")]
    assert not inventory.unfollowed
    assert codes[0].place == "body"


@pytest.mark.parametrize(
    ("imported", "annotation", "said"),
    [
        (
            "from nowhere import Berth",
            "Berth",
            "`nowhere.Berth`, which is not in the scanned source",
        ),
        (
            "from models import Missing",
            "Missing",
            "`models.Missing`, which is not in the scanned source",
        ),
        ("import models", "models.make()", "`models.make(…)` could not be followed as a type"),
        ("Berth = Berth", "Berth", "could not be followed as a type"),
    ],
)
def test_what_is_not_found_is_said(imported: str, annotation: str, said: str, workshop: Any) -> None:
    main = f"from fastapi import FastAPI\n{imported}\napp = FastAPI()\n@app.post('/x')\ndef x(b: {annotation}): ...\n"
    inventory = workshop.survey({"models.py": MODEL, "main.py": main})
    assert [u.what for u in inventory.unfollowed if said in u.what]
    assert endpoint(inventory, "POST /x").standing == "unknown"
    assert not [g for g in inventory.gaps if g.kind == "bare-input"]


CONSTANTS = """
from enum import Enum
from typing import Annotated
from fastapi import FastAPI, Query
import limits
from limits import Limits, MOST as M
app = FastAPI()
HERE = 2
class Sizes(int, Enum):
    small = 3
def later(n): return n
changing = 1
changing = 2
@app.get("/x")
def x(
    a: Annotated[str, Query(max_length=HERE)],
    b: Annotated[str, Query(max_length=limits.MOST)],
    c: Annotated[str, Query(max_length=M + 1)],
    d: Annotated[str, Query(max_length=Limits.long)],
    e: Annotated[str, Query(max_length=Limits.Inner.deep * 2)],
    f: Annotated[str, Query(max_length=Sizes.small.value)],
    g: Annotated[str, Query(pattern="^" + limits.LETTERS + "$")],
    h: Annotated[str, Query(pattern=f"^{limits.LETTERS}{{2}}$")],
    i: Annotated[int, Query(le=2**10 - 1)],
    j: Annotated[int, Query(le=later(3))],
    k: Annotated[int, Query(le=changing)],
    l: Annotated[int, Query(ge=-limits.MOST)],
): ...
"""
LIMITS = """
MOST: int = 7
LETTERS = "[a-z]"
class Limits:
    long = MOST * 2
    class Inner:
        deep = 5
"""


def test_constants_are_worked_out(workshop: Any) -> None:
    inventory = workshop.survey({"main.py": CONSTANTS, "limits.py": LIMITS})
    found = {f.path: f.constraints[0].value for f in inventory.endpoints[0].fields}
    # What is not plainly one constant is kept as its source.
    assert found == {
        "a": 2, "b": 7, "c": 8, "d": 14, "e": 10, "f": 3, "g": "^[a-z]$", "h": "^[a-z]{2}$", "i": 1023, "j": "later(3)",
        "k": "changing", "l": -7,
    }  # fmt: skip


@pytest.mark.parametrize("scanned", ["", "port", "port/web"])
def test_a_package_may_be_scanned_from_inside(scanned: str, workshop: Any) -> None:
    main = (
        "from fastapi import FastAPI\nfrom port.web.models import Berth\nimport port.web.models as m\napp = FastAPI()\n"
    )
    main += "@app.post('/x')\ndef x(a: Berth, b: m.Berth): ...\n"
    files = {"port/__init__.py": "", "port/web/__init__.py": "", "port/web/models.py": MODEL, "port/web/main.py": main}
    inventory = mappu.survey(workshop.write(files) / scanned)
    assert [f.path for f in inventory.endpoints[0].fields] == ["a", "a.code", "b", "b.code"]
    assert not inventory.unfollowed
