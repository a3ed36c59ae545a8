"""What Mappu says of Go services against what the running services answered, recorded with the real packages
(`tests/recorded/go/record.py` makes the records anew)."""

import json
from pathlib import Path
from typing import Any

import pytest

import mappu
from conftest import field
from recorded.go.record import module

HERE = Path(__file__).parent / "recorded" / "go"

RECORDED = {p.parent.name: json.loads(p.read_text()) for p in sorted(HERE.glob("*/recorded.json"))
            if (p.parent / "cases.json").is_file()}  # fmt: skip
CASES = {name: json.loads((HERE / name / "cases.json").read_text()) for name in RECORDED}
EXPECTED = {2: {"idle", "leaks"}, 4: {"runs"}, 5: {"breaks"}}


@pytest.fixture(scope="module")
def said(tmp_path_factory: Any) -> Any:
    """What Mappu says of each service, by endpoint."""
    found = {}
    for name in RECORDED:
        root = tmp_path_factory.mktemp(name)
        for file in (HERE / name).glob("*.go"):
            (root / file.name).write_text(file.read_text())
        (root / "go.mod").write_text(module(name))
        found[name] = {f"{e.method} {e.path}": e for e in mappu.survey(root).endpoints}
    return found


@pytest.mark.parametrize("service", RECORDED)
def test_every_endpoint_is_found(service: str, said: Any) -> None:
    assert set(said[service]) == set(CASES[service])


@pytest.mark.parametrize(("service", "endpoint"), [(s, e) for s in RECORDED for e in CASES[s]], ids=str)
def test_behaves(service: str, endpoint: str, said: Any) -> None:
    found, happened, case = said[service][endpoint], RECORDED[service][endpoint], CASES[service][endpoint]
    # An answer that the handler has sent before it carries on says nothing of what it did.
    expected = EXPECTED | {4: {"leaks"}} if case.get("carries_on") else EXPECTED
    if case["accepted"] is not None:
        assert happened["accepted"] < 300
    for i, (changes, name, kind) in enumerate(case["broken"]):
        status = happened[f"broken {i}"]
        statuses = {c.status for c in field(found, name).constraints if c.kind == kind}
        assert statuses & expected[status // 100], (changes, kind, status, statuses)
    for key, status in happened.items():
        if key.startswith("without ") and not case.get("carries_on"):
            name = key.removeprefix("without ")
            if name in case.get("together", ()):
                # Asked for by what else is there.
                continue
            assert field(found, name).required == (400 <= status < 500), (key, status)
