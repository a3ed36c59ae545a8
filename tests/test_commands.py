"""The program as users run it: filters, formats, exit codes, and the inventory file that stands for its source."""

import csv
import io
import json
import os
import subprocess
import sys
from pathlib import Path
from typing import Any

import jsonschema
import pytest

import mappu
from mappu.demo import write
from mappu.inventory.files import json_schema

DOCS = Path(__file__).parent.parent / "docs"
HIGH = """
from fastapi import FastAPI, Request
from sqlmodel import Session
app = FastAPI()
session = Session()
@app.get("/x")
def x(request: Request): return session.execute("select " + request.query_params.get("q", ""))
"""
LOW = "from fastapi import FastAPI\napp = FastAPI()\n@app.get('/x')\ndef x(q: str): ...\n"
NONE = "from fastapi import FastAPI\napp = FastAPI()\n@app.get('/x')\ndef x(q: bool = False): ...\n"


@pytest.fixture(scope="module")
def harbour(tmp_path_factory: pytest.TempPathFactory) -> Path:
    folder = tmp_path_factory.mktemp("harbour")
    write(folder)
    return folder


def fields(found: dict[str, Any]) -> list[tuple[str, str, str, str]]:
    return [(e["id"], f["in"], f["path"], f["standing"]) for e in found["endpoints"] for f in e["fields"]]


@pytest.mark.parametrize(
    ("options", "keeps"),
    [
        ((), lambda e, p, f, s: True),
        (("--endpoint", "post /berths/{berth_id}/stays"), lambda e, p, f, s: e.endswith("POST /berths/{berth_id}/stays")),
        (("--in", "path"), lambda e, p, f, s: p == "path"),
        (("--in", "query", "--in", "form"), lambda e, p, f, s: p in ("query", "form")),
        (("--field", "persons"), lambda e, p, f, s: f == "persons"),
        (("--field", "mmsi"), lambda e, p, f, s: f.rpartition(".")[2] == "mmsi"),
        (("--field", "vessel.*"), lambda e, p, f, s: f.startswith("vessel.")),
        (("--standing", "bare", "--standing", "leaky"), lambda e, p, f, s: s in ("bare", "leaky")),
        (("--standing", "enforced", "--in", "body", "--endpoint", "contacts"),
         lambda e, p, f, s: "contacts" in e and p == "body" and s == "enforced"),
    ],
)  # fmt: skip
def test_fields_are_filtered(options: tuple[str, ...], keeps: Any, harbour: Path, workshop: Any) -> None:
    whole = json.loads(workshop.run("fields", str(harbour), "--format", "json").stdout)
    done = workshop.run("fields", str(harbour), *options, "--format", "json")
    found = json.loads(done.stdout)
    assert done.exit_code == 0
    assert fields(found) == [row for row in fields(whole) if keeps(*row)]
    assert fields(found)
    left = {(e, f) for e, _, f, _ in fields(found)}
    narrowed = {(g["endpoint"], g["field"]) for g in found["gaps"]}
    assert (
        narrowed <= left | {(g["endpoint"], g["field"]) for g in whole["gaps"] if g["field"] in (None, "*")}
        or not options
    )


@pytest.mark.parametrize(
    ("source", "options", "code"),
    [
        (HIGH, (), 1), (HIGH, ("--threshold", "high"), 1), (HIGH, ("--threshold", "never"), 0),
        (HIGH, ("--kind", "unbounded", "--threshold", "low"), 0), (HIGH, ("--kind", "bare-input"), 1),
        (LOW, (), 0), (LOW, ("--threshold", "low"), 1), (LOW, ("--threshold", "low", "--endpoint", "nowhere"), 0),
        (NONE, ("--threshold", "low"), 0),
        (HIGH + "\ndef broken(:\n", ("--threshold", "never"), 3), (HIGH + "\ndef broken(:\n", (), 1),
    ],
)  # fmt: skip
def test_gaps_decide_the_exit_code(source: str, options: tuple[str, ...], code: int, workshop: Any) -> None:
    workshop.write(source)
    done = workshop.spawn("gaps", ".", *options)
    assert done.returncode == code, done.stdout + done.stderr


@pytest.mark.parametrize(
    ("args", "said"),
    [
        (("gapz",), "no command 'gapz'. Did you mean 'gaps'?"),
        (("gaps", "--kind", "bare-imput"), "no gap kind 'bare-imput'. Did you mean 'bare-input'?"),
        (("fields", "--in", "bodi"), "no place 'bodi'. Did you mean 'body'?"),
        (("fields", "--standing", "enforce"), "no standing 'enforce'. Did you mean 'enforced'?"),
        (("explain", "late-settngs"), "no gap kind 'late-settngs'. Did you mean 'late-settings'?"),
        (("survey", "nowhere"), "nowhere: no such file or folder"),
        (("fields", "not.json"), "not a mappu-inventory/1 file"),
        (("gaps", "--treshold", "low"), "--treshold"),
    ],
)
def test_wrong_use_is_one_line(args: tuple[str, ...], said: str, workshop: Any) -> None:
    (workshop.root / "not.json").write_text('{"format": "mappu-inventory/1", "endpoints": 3}')
    done = workshop.spawn(*args)
    assert done.returncode == 2
    assert said in done.stderr
    assert len(done.stderr.splitlines()) == 1
    assert done.stdout == ""


def test_what_goes_out_of_sight_is_told_in_one_order(workshop: Any) -> None:
    service = workshop.write(
        {
            "package.json": '{"name": "x", "dependencies": {"express": "4"}}',
            "app.js": """const lib = require("lib"); const app = require("express")(); app.use(require("express").json());
            app.post("/x", (req, res) => {
                for (const i of req.body.items) { const all = [i.one, i, i.two, i.three]; lib.verify(all); }
                res.json({});
            });""",
        },
        None,
    )
    command = [sys.executable, "-m", "mappu", "fields", str(service), "--format", "json"]
    told = {
        subprocess.run(command, capture_output=True, env=os.environ | {"PYTHONHASHSEED": seed}, check=True).stdout
        for seed in "123456"
    }
    assert len(told) == 1
    assert b"items[].one, items[].two, items[].three" in told.pop()


def test_the_inventory_file_stands_for_its_source(harbour: Path, workshop: Any) -> None:
    first = workshop.run("fields", str(harbour), "--format", "json").stdout
    # The same bytes from another folder, in another process, with other hash seeds.
    command = [sys.executable, "-m", "mappu", "fields", ".", "--format", "json"]
    again = subprocess.run(
        command, capture_output=True, cwd=harbour, env=os.environ | {"PYTHONHASHSEED": "7"}, check=True
    )
    assert again.stdout.decode() == first
    kept = workshop.root / "kept.json"
    kept.write_text(first)
    for args in (
        ("fields", "--format", "json"),
        ("fields", "--format", "csv"),
        ("gaps", "--format", "markdown"),
        ("gaps",),
        ("survey", "--format", "json"),
    ):
        command_, *rest = args
        assert workshop.run(command_, str(kept), *rest).stdout == workshop.run(command_, str(harbour), *rest).stdout
    assert first.startswith('{\n  "format": "mappu-inventory/1",\n')
    jsonschema.validate(json.loads(first), json.loads((DOCS / "inventory.schema.json").read_text()))
    assert (DOCS / "inventory.schema.json").read_bytes() == json_schema(), "run `make schema`"


def test_paths_may_be_files(workshop: Any) -> None:
    workshop.write({"main.py": LOW, "other.py": NONE.replace("/x", "/y"), "models.py": ""})
    one = mappu.survey(workshop.root / "main.py")
    assert [e.path for e in one.endpoints] == ["/x"]
    two = mappu.survey(workshop.root / "main.py", workshop.root / "other.py")
    assert [e.path for e in two.endpoints] == ["/x", "/y"]
    assert [e.path for e in mappu.survey(str(workshop.root)).endpoints] == ["/x", "/y"]


def test_sheets_agree_with_the_inventory(harbour: Path, workshop: Any) -> None:
    inventory = mappu.survey(harbour)
    rows = list(csv.DictReader(io.StringIO(workshop.run("fields", str(harbour), "--format", "csv").stdout)))
    assert [(r["method"], r["path"], r["in"], r["field"]) for r in rows if r["field"]] == [
        (e.method, e.path, f.place, f.path) for e in inventory.endpoints for f in e.fields
    ]
    gaps = list(csv.DictReader(io.StringIO(workshop.run("gaps", str(harbour), "--format", "csv").stdout)))
    assert [(r["kind"], r["endpoint"] or None, r["why"]) for r in gaps] == [
        (g.kind, g.endpoint, g.why) for g in inventory.gaps
    ]
    table = workshop.run("gaps", str(harbour), "--format", "markdown").stdout.splitlines()
    assert len(table) == len(inventory.gaps) + 2
    counts = json.loads(workshop.run("survey", str(harbour), "--format", "json").stdout)
    assert sum(counts["gaps"].values()) == len(inventory.gaps)
    assert sum(n for s in counts["services"] for n in s["endpoints"].values()) == len(inventory.endpoints)
    kinds = json.loads(workshop.run("explain", "--format", "json").stdout)
    assert {g.kind for g in inventory.gaps} == {k["kind"] for k in kinds}, "the harbour shows every kind"


@pytest.mark.parametrize("width", [60, 100, 160])
def test_tables_fit_the_width(width: int, harbour: Path) -> None:
    from rich.console import Console

    from mappu.render import terminal

    inventory = mappu.survey(harbour)
    for shown in (terminal.survey(inventory, "."), terminal.fields(inventory, width), terminal.gaps(inventory)):
        out = io.StringIO()
        Console(file=out, width=width, color_system=None).print(shown)
        lines = out.getvalue().splitlines()
        assert max(map(len, lines)) <= width
        assert "enforced" in out.getvalue() or "high" in out.getvalue()


def test_importing_is_cheap_and_a_pipe_is_plain(harbour: Path, workshop: Any) -> None:
    heavy = (
        "sorted(m for m in sys.modules if m.split('.')[0] in ('msgspec', 'rich', 'tree_sitter', 'click', 'pathspec'))"
    )
    done = subprocess.run(
        [sys.executable, "-c", f"import sys, mappu; print({heavy})"], capture_output=True, text=True, check=True
    )
    assert done.stdout == "[]\n"
    for command in ("survey", "fields", "gaps", "explain"):
        out = workshop.spawn(command, *([str(harbour)] if command != "explain" else []))
        assert "\x1b" not in out.stdout
        assert out.returncode in (0, 1)
