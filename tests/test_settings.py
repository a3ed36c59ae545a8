"""The settings file: what to leave out, severities, house rules, accepted gaps, and errors that help."""

from typing import Any

import pytest

import mappu
from conftest import MANIFEST, endpoint, field
from mappu.inventory.errors import SettingsError

SERVICE = {
    "main.py": """
        from typing import Annotated
        from fastapi import Depends, FastAPI, HTTPException, Request
        from pydantic import BaseModel, Field
        from sqlmodel import Field as Column, SQLModel
        from house.checks import Berth, MMSI, insist, runs_rules
        app = FastAPI()
        class Row(SQLModel, table=True):
            id: int | None = Column(default=None, primary_key=True)
            name: str = Column(max_length=9)
        class Call(BaseModel):
            mmsi: MMSI
            berth: Annotated[str, Berth]
            note: str
        @app.post("/calls")
        def calls(call: Call): ...
        @app.get("/search")
        def search(request: Request):
            name = request.query_params.get("name")
            insist(name)
            return open(name)
        @app.post("/rows")
        @runs_rules
        def rows(row: Row): ...
    """,
    "old/left.py": "from fastapi import FastAPI\napp = FastAPI()\n@app.get('/old')\ndef old(): ...\n",
}


def kinds(inventory: Any) -> list[tuple[str, str | None, str]]:
    return [(g.kind, g.field, g.severity) for g in inventory.gaps]


def run(workshop: Any, settings: str, where: str = "mappu.toml") -> Any:
    workshop.write(SERVICE)
    path = workshop.root / where
    path.write_text((MANIFEST if where == "pyproject.toml" else "") + settings)
    return mappu.survey(workshop.root)


def test_without_settings(workshop: Any) -> None:
    inventory = run(workshop, "")
    assert [e.path for e in inventory.endpoints] == ["/calls", "/old", "/rows", "/search"]
    assert ("unbounded", "note", "low") in kinds(inventory)
    assert ("idle-rules", "name", "high") in kinds(inventory)
    assert field(endpoint(inventory, "GET /search"), "name").standing == "unknown"
    assert any("house.checks.MMSI" in u.what for u in inventory.unfollowed)


@pytest.mark.parametrize("where", ["mappu.toml", "pyproject.toml"])
def test_leave_out_and_severity(where: str, workshop: Any) -> None:
    head, severity = ("[tool.mappu]\n", "[tool.mappu.severity]") if where == "pyproject.toml" else ("", "[severity]")
    text = f'{head}leave-out = ["old/"]\n{severity}\nunbounded = "high"\nidle-rules = "off"\n'
    inventory = run(workshop, text, where)
    assert [e.path for e in inventory.endpoints] == ["/calls", "/rows", "/search"]
    assert ("unbounded", "note", "high") in kinds(inventory)
    assert "idle-rules" not in [k for k, _, _ in kinds(inventory)]


def test_house_rules(workshop: Any) -> None:
    inventory = run(
        workshop,
        """
        [[rule]]
        type = "house.checks.MMSI"
        constraints = { pattern = '^\\d{9}$' }
        [[rule]]
        annotation = "house.checks.Berth"
        constraints = { minLength = 2, maxLength = 4 }
        [[rule]]
        function = "house.checks.insist"
        constraints = { maxLength = 40 }
        [[runner]]
        decorator = "house.checks.runs_rules"
        """,
    )
    call = endpoint(inventory, "POST /calls")
    assert [(c.kind, c.value, c.status) for c in field(call, "mmsi").constraints] == [("pattern", r"^\d{9}$", "runs")]
    assert [(c.kind, c.value) for c in field(call, "berth").constraints] == [("minLength", 2), ("maxLength", 4)]
    name = field(endpoint(inventory, "GET /search"), "name")
    assert [(c.kind, c.value, c.status) for c in name.constraints] == [("maxLength", 40, "runs")]
    row = field(endpoint(inventory, "POST /rows"), "name").constraints[0]
    assert row.status == "runs"
    assert row.run_by is not None
    assert row.run_by.text == "@runs_rules"
    assert "idle-rules" not in [k for k, _, _ in kinds(inventory)]


@pytest.mark.parametrize(
    ("until", "endpoint_", "kept"),
    [
        (None, None, False),
        ("2999-01-01", "svc POST /calls", False),
        ("2020-01-01", None, True),
        (None, "svc GET /search", True),
    ],
)
def test_accepted_gaps(until: str | None, endpoint_: str | None, kept: bool, workshop: Any) -> None:
    text = '[[accepted]]\nkind = "unbounded"\nfield = "note"\nreason = "the column is text"\n'
    text += f"until = {until}\n" if until else ""
    text += f'endpoint = "{endpoint_}"\n' if endpoint_ else ""
    assert (("unbounded", "note", "low") in kinds(run(workshop, text))) == kept
    done = workshop.spawn("gaps", ".", "--kind", "unbounded")
    assert ("matches no gap" in done.stderr) == kept
    assert ("1 accepted" in done.stderr) == (not kept)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ('leave-uot = ["x"]', "unknown key 'leave-uot'. Did you mean 'leave-out'?"),
        ('[[rule]]\ntyp = "x"\nconstraints = {}', "unknown key 'rule.typ'. Did you mean 'type'?"),
        (
            '[[rule]]\ntype = "x"\nconstraints = { maxlength = 3 }',
            "unknown constraint kind 'maxlength'. Did you mean 'maxLength'?",
        ),
        ('[severity]\nbare-imput = "low"', "unknown gap kind 'bare-imput'. Did you mean 'bare-input'?"),
        ('[severity]\nbare-input = "huge"', "huge"),
        ("threshold = 3", "threshold"),
        ('[[accepted]]\nkind = "unbounded"', "reason"),
        ('[[rule]]\ntype = "x"\nfunction = "y"\nconstraints = {}', "names one of type, annotation, function"),
        ("leave-out = [", "mappu.toml"),
    ],
)
def test_errors_name_the_place(text: str, said: str, workshop: Any) -> None:
    with pytest.raises(SettingsError, match=r"mappu\.toml") as caught:
        run(workshop, text)
    assert said in str(caught.value)
    done = workshop.spawn("gaps", ".")
    assert done.returncode == 2
    assert len(done.stderr.splitlines()) == 1


def test_threshold_from_the_settings(workshop: Any) -> None:
    run(workshop, 'threshold = "never"')
    assert workshop.spawn("gaps", ".").returncode == 0
    assert workshop.spawn("gaps", ".", "--threshold", "high").returncode == 1
