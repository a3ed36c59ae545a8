"""Finding what to read: ignore files, what is left out by default, services by their manifests."""

from typing import Any

import pytest

import mappu
from mappu.inventory.model import Place
from mappu.sources import manifests, walk

ROUTE = "from fastapi import FastAPI\napp = FastAPI()\n@app.get('/{0}')\ndef {0}(): ...\n"


@pytest.mark.parametrize(
    ("ignore", "settings", "kept"),
    [
        ({}, "", {"main", "deep", "kept"}),
        ({".gitignore": "pkg/\n"}, "", {"main"}),
        ({".gitignore": "pkg/deep.py\n"}, "", {"main", "kept"}),
        ({".gitignore": "*.py\n!pkg/\n!main.py\n"}, "", {"main"}),
        ({"pkg/.gitignore": "/deep.py\n"}, "", {"main", "kept"}),
        ({".gitignore": "*\n", "pkg/.gitignore": "!kept.py\n"}, "", set()),
        ({".gitignore": "pkg/*\n", "pkg/.gitignore": "!kept.py\n"}, "", {"main", "kept"}),
        ({}, 'leave-out = ["pkg/*.py"]', {"main"}),
        ({}, 'take-in = ["tests/", "test_*.py"]', {"main", "deep", "kept", "tested"}),
        ({".gitignore": "main.py\n"}, 'take-in = [".venv/"]', {"deep", "kept", "venv"}),
    ],
)
def test_what_is_read(ignore: dict[str, str], settings: str, kept: set[str], workshop: Any) -> None:
    files = {
        "main.py": ROUTE.format("main"), "pkg/deep.py": ROUTE.format("deep"), "pkg/kept.py": ROUTE.format("kept"),
        "tests/test_it.py": ROUTE.format("tested"), ".venv/lib/x.py": ROUTE.format("venv"),
        "node_modules/a/b.py": ROUTE.format("node"), "build/lib/c.py": ROUTE.format("built"), "notes.txt": "fastapi",
        "mappu.toml": settings, **ignore,
    }  # fmt: skip
    found = mappu.survey(workshop.write(files))
    assert {e.path.strip("/") for e in found.endpoints} == kept


def test_services_by_their_manifests(workshop: Any) -> None:
    files = {
        "pyproject.toml": '[project]\nname = "port"\n',
        "shared/models.py": "from pydantic import BaseModel\nclass M(BaseModel):\n    n: int\n",
        "one/pyproject.toml": '[project]\nname = "harbour"\n',
        "one/app.py": ROUTE.format("a"),
        "two/setup.cfg": "[metadata]\nname = harbour\n",
        "two/app.py": ROUTE.format("b"),
        "three/requirements/base.txt": "fastapi\n",
        "three/src/app.py": ROUTE.format("c"),
        "four.py": "from shared.models import M\n" + ROUTE.format("d").replace("def d()", "def d(m: int, b: M)"),
    }
    inventory = mappu.survey(workshop.write(files))
    assert [(s.name, s.path) for s in inventory.services] == [
        ("one", "one"), ("port", "."), ("three", "three"), ("two", "two"),
    ]  # fmt: skip
    # Two of one name are told apart by their folders.
    assert [e.id for e in inventory.endpoints] == ["one GET /a", "port GET /d", "three GET /c", "two GET /b"]


@pytest.mark.parametrize(
    ("name", "text", "packages", "complete"),
    [
        ("pyproject.toml", '[project]\nname="x"\ndependencies=["A_b[c]>=1", "b ; python_version>\'3\'"]', {"a-b", "b"}, True),
        ("pyproject.toml", '[project]\nname="x"\ndynamic=["dependencies"]', set(), False),
        ("pyproject.toml", "[tool.black]\nline-length = 3", set(), False),
        ("pyproject.toml", '[tool.poetry]\nname="x"\n[tool.poetry.dependencies]\na={version="^1", extras=["e"]}', {"a"}, True),
        ("pyproject.toml", '[dependency-groups]\ndev=["g"]\n[project]\nname="x"\ndependencies=["a"]', {"a", "g"}, True),
        ("requirements.txt", "# c\na==1  # why\n-r other.txt\nb[x]>=2; python_version > '3'\n\n", {"a", "b"}, True),
        ("requirements-dev.txt", "a\n-e .\n", {"a"}, False),
        ("setup.cfg", "[metadata]\nname=x\n[options]\ninstall_requires =\n  a>1\n  b\n", {"a", "b"}, True),
        ("setup.py", "from setuptools import setup\nsetup(name='x', install_requires=['a'])", set(), False),
        ("Pipfile", '[packages]\na="*"\n[dev-packages]\nb="*"', {"a", "b"}, True),
    ],
)  # fmt: skip
def test_manifests(name: str, text: str, packages: set[str], complete: bool, workshop: Any) -> None:
    workshop.write({name: text}, manifest=None)
    tree = walk.find([workshop.root], manifests.WANTED, (), ())
    roots, problems = manifests.service_roots(tree)
    own = roots[""].manifests[0]
    assert not problems
    assert {p.name for p in own.packages} == packages
    assert own.complete == complete
    assert roots[""].place == Place(name, 1)


def test_a_damaged_manifest_is_said(workshop: Any) -> None:
    inventory = mappu.survey(workshop.write({"main.py": ROUTE.format("a"), "pyproject.toml": "[project\nname = 3"}))
    assert [(u.file, u.what.split(":")[0]) for u in inventory.unfollowed] == [
        ("pyproject.toml", "manifest could not be read")
    ]
    assert len(inventory.endpoints) == 1
    assert workshop.spawn("survey", ".").returncode == 3
