"""Damaged, huge and hostile files: a line each, everything else read whole, nothing crashes and nothing leaks out raw."""

import csv
import io
import os
import random
import time
from pathlib import Path
from typing import Any

import pytest

import mappu
from mappu.demo import write

SOUND = """
from fastapi import FastAPI
from pydantic import BaseModel, Field
app = FastAPI()
class A(BaseModel):
    n: int = Field(ge=1, le=9)
@app.post("/sound")
def sound(a: A): ...
"""
DEEP = 2000
HEAD = "from fastapi import APIRouter\nrouter = APIRouter()\n"

# file -> (bytes, what is said of it)
DAMAGED: dict[str, tuple[bytes, str]] = {
    "syntax.py": (b"from fastapi import FastAPI\ndef broken(:\n    x = = 3\n", "syntax error"),
    "binary.py": (b"fastapi\0\1\2\xff" * 50, "binary, not text"),
    "replaced.py": (b"import fastapi\nname = 'caf\xe9 \xff'\n", "not UTF-8"),
    "utf16.py": (b"\xff\xfe" + b"\xd8\x00x", "starts like utf-16 and is not"),
    "deep_list.py": ((HEAD + "x = " + "[" * DEEP + "]" * DEEP).encode(), "nested deeper"),
    "deep_call.py": ((HEAD + "x = " + "f(" * DEEP + ")" * DEEP).encode(), "nested deeper"),
    "deep_sum.py": ((HEAD + "x = " + "1 + " * DEEP + "1").encode(), "nested deeper"),
    "syntax.js": (b"const express = require('express');\nconst = = 3;\nfunction (", "syntax error"),
    "binary.ts": (b"express\0\1\2\xff" * 50, "binary, not text"),
    "deep_call.js": (("express; x = " + "f(" * DEEP + ")" * DEEP).encode(), "nested deeper"),
    "deep_block.ts": (("express;" + "if (a) {" * 300 + "}" * 300).encode(), "nested deeper"),
    "syntax.go": (
        b'package a\nimport "net/http"\nvar _ = http.HandleFunc(1)\nfunc (s *S) = 3\nfunc f( {',
        "syntax error",
    ),
    "binary.go": (b'"net/http"\0\1\2\xff' * 50, "binary, not text"),
    "deep_call.go": (
        ('package a\nimport "net/http"\nvar _ = http.HandleFunc(1)\nvar x = ' + "f(" * DEEP + ")" * DEEP).encode(),
        "nested deeper",
    ),
    "deep_list.go": (
        ('package a\nimport "net/http"\nvar _ = http.HandleFunc(1)\nvar x = T' + "{" * DEEP + "}" * DEEP).encode(),
        "nested deeper",
    ),
    "packed.js": (b"express;" + b"a=1;" * 20_000, "packed by a build"),
    "deep_if.py": (
        (HEAD + "".join(" " * i + "if a:\n" for i in range(300)) + " " * 300 + "pass\n").encode(),
        "nested deeper",
    ),
    "deep_handler.py": (
        (
            HEAD.replace("APIRouter", "FastAPI")
            + "@router.get('/deep')\ndef deep(q: str):\n    return "
            + "(" * DEEP
            + "q"
            + ")" * DEEP
            + "\n"
        ).encode(),
        "nested deeper",
    ),
}


@pytest.mark.parametrize("name", DAMAGED)
def test_damaged_file_is_said_and_the_rest_is_read(name: str, workshop: Any) -> None:
    workshop.write(SOUND)
    data, said = DAMAGED[name]
    (workshop.root / name).write_bytes(data)
    done = workshop.spawn("fields", ".", "--format", "json")
    assert done.returncode == (0 if said in ("not UTF-8", "packed by a build") else 3), done.stderr
    mine = [line for line in done.stderr.splitlines() if name in line]
    assert len(mine) == 1, done.stderr
    assert mine[0].startswith(f"mappu: {name}")
    assert said in mine[0]
    assert "Traceback" not in done.stderr
    inventory = mappu.survey(workshop.root)
    assert [u.file for u in inventory.unfollowed if said in u.what] == [name]
    assert "svc POST /sound" in [e.id for e in inventory.endpoints]
    assert next(e for e in inventory.endpoints if e.path == "/sound").fields[0].standing == "enforced"


def test_encodings(workshop: Any) -> None:
    route = '@app.get("/{}")\ndef {}(q: Annotated[str, Query(pattern="^é$")]): ...\n'
    start = "from fastapi import FastAPI, Query\nfrom typing import Annotated\napp = FastAPI()\n"
    for name, encoding, first in (
        ("plain", "utf-8", ""), ("marked", "utf-8-sig", ""), ("latin", "latin-1", "# -*- coding: latin-1 -*-\n"),
        ("wide", "utf-16", ""),
    ):  # fmt: skip
        (workshop.root / f"{name}.py").write_bytes((first + start + route.format(name, name)).encode(encoding))
    (workshop.root / "pyproject.toml").write_text('[project]\nname = "svc"\n')
    inventory = mappu.survey(workshop.root)
    assert [(e.path, e.fields[0].constraints[0].value) for e in inventory.endpoints] == [
        ("/latin", "^é$"), ("/marked", "^é$"), ("/plain", "^é$"), ("/wide", "^é$"),
    ]  # fmt: skip
    assert not inventory.unfollowed


def test_a_huge_file_is_left_alone(workshop: Any) -> None:
    workshop.write(SOUND)
    with (workshop.root / "huge.py").open("wb") as file:
        file.write(b"from fastapi import FastAPI\n")
        file.truncate(50_000_000)
    started = time.monotonic()
    done = workshop.spawn("survey", ".")
    assert time.monotonic() - started < 20
    assert done.returncode == 3
    assert "huge.py: not read: 50,000,000 bytes" in done.stderr
    assert "1" in done.stdout


def test_links_and_locked_folders(workshop: Any, monkeypatch: pytest.MonkeyPatch) -> None:
    workshop.write({"main.py": SOUND, "inner/other.py": "import fastapi\n", "locked/secret.py": "import fastapi\n"})
    (workshop.root / "inner" / "up").symlink_to(workshop.root)
    (workshop.root / "a").symlink_to(workshop.root / "b")
    (workshop.root / "b").symlink_to(workshop.root / "a")
    real = os.scandir

    def scandir(path: Any) -> Any:
        # Permissions stop nobody who runs as root, as tests in a container do.
        if str(path).endswith("locked"):
            raise PermissionError(13, "Permission denied")
        return real(path)

    monkeypatch.setattr(os, "scandir", scandir)
    inventory = mappu.survey(workshop.root)
    assert {u.file: u.what for u in inventory.unfollowed} == {
        "a": "could not be read: Too many levels of symbolic links",
        "b": "could not be read: Too many levels of symbolic links",
        "inner/up": "link to a folder that is read already: not followed",
        "locked": "folder could not be read: Permission denied",
    }
    assert [e.path for e in inventory.endpoints] == ["/sound"]


EVIL = r"""
from fastapi import FastAPI, Query
from typing import Annotated
app = FastAPI()
@app.get("/x\x1b[31m<script>alert(1)</script>")
def evil(
    q: Annotated[str, Query(pattern="^=cmd|'/c calc'!A1\x1b]0;title\x07$", alias="=HYPERLINK(\"x\")|a`b`", max_length=3)] = "four"
): ...
@app.get("/rtl\u202e")
def rtl(q: Annotated[str, Query(max_length=3)]): ...
"""


@pytest.mark.parametrize("command", ["survey", "fields", "gaps"])
@pytest.mark.parametrize("format_", ["table", "csv", "markdown", "json"])
def test_text_from_source_is_escaped(command: str, format_: str, workshop: Any) -> None:
    workshop.write(EVIL)
    if command == "survey" and format_ in ("csv", "markdown"):
        pytest.skip("survey has no such format")
    done = workshop.spawn(command, ".", "--format", format_)
    assert done.returncode in (0, 1), done.stderr
    assert "/x" in done.stdout or command == "survey"
    assert not any(ord(c) < 32 and c not in "\n\t" for c in done.stdout + done.stderr)
    assert "\u202e" not in done.stdout or format_ == "json"
    if format_ == "markdown":
        assert "<script>" not in done.stdout
    if format_ == "csv":
        cells = [cell for row in csv.reader(io.StringIO(done.stdout)) for cell in row]
        assert not [c for c in cells if c.startswith(("=", "+", "@", "|", "\t"))]


def test_nothing_of_the_service_is_run(workshop: Any) -> None:
    mark = workshop.root / "ran"
    workshop.write(
        {
            "main.py": f"open({str(mark)!r}, 'w')\n" + SOUND,
            "setup.py": f"open({str(mark)!r}, 'w')\n",
            "conftest.py": "1/0\n",
        }
    )
    assert len(mappu.survey(workshop.root).endpoints) == 1
    assert not Path(mark).exists()


PIECES = (
    "(",
    ")",
    "[",
    "]",
    ":",
    ",",
    "\n",
    "    ",
    "**",
    "=",
    ".",
    "if ",
    "raise ",
    '"',
    "'",
    "{",
    "@",
    "lambda x: ",
    "\0",
    "\xff",
)


def damaged(data: bytes, chance: random.Random) -> bytes:
    """The bytes with a few pieces put in, cut out or repeated somewhere else."""
    found = bytearray(data)
    for _ in range(chance.randint(1, 8)):
        at, other = chance.randrange(len(found)), chance.randrange(len(found))
        match chance.randrange(3):
            case 0:
                found[at:at] = chance.choice(PIECES).encode("latin-1")
            case 1:
                del found[at : at + chance.randint(1, 12)]
            case _:
                found[other:other] = found[at : at + chance.randint(1, 60)]
    return bytes(found)


@pytest.mark.parametrize("seed", range(6))
def test_damage_anywhere_never_stops_the_scan(seed: int, tmp_path: Path) -> None:
    write(tmp_path)
    (tmp_path / "sound").mkdir()
    (tmp_path / "sound" / "main.py").write_text(SOUND)
    (tmp_path / "sound" / "pyproject.toml").write_text('[project]\nname = "sound"\n')
    chance = random.Random(seed)
    files = sorted(
        p
        for p in tmp_path.rglob("*")
        if p.suffix in (".py", ".js", ".ts", ".java", ".kt", ".xml") and p.parent.name != "sound"
    )
    for _ in range(12):
        file = chance.choice(files)
        kept = file.read_bytes()
        file.write_bytes(damaged(kept, chance))
        inventory = mappu.survey(tmp_path)
        assert "sound POST /sound" in [e.id for e in inventory.endpoints]
        file.write_bytes(kept)
