"""What Mappu says of JVM services against what the running services answered: recorded with Maven, as a build and a start take up
to a minute each (`tests/recorded/jvm/record.py` makes the records anew)."""

import json
from pathlib import Path
from typing import Any

import pytest

import mappu
from conftest import field
from recorded.jvm.record import SERVICES, pom, sources

HERE = Path(__file__).parent / "recorded" / "jvm"

RECORDED = {
    (service.name, version): answers
    for service in sorted(HERE.iterdir())
    if (service / "recorded.json").is_file()
    for version, answers in json.loads((service / "recorded.json").read_text()).items()
}
CASES = {name: json.loads((HERE / name / "cases.json").read_text()) for name, _ in RECORDED}
EXPECTED = {2: {"idle", "leaks"}, 4: {"runs"}, 5: {"breaks"}}


@pytest.fixture(scope="module")
def said(tmp_path_factory: Any) -> Any:
    """What Mappu says of each service at each version, by path."""
    found = {}
    for name, version in RECORDED:
        root = tmp_path_factory.mktemp(name)
        for file in sources(name):
            (root / file.name).write_text(file.read_text())
        (root / "App.java").write_text(SERVICES[name][3].format(port=0))
        (root / "pom.xml").write_text(pom(name, version))
        found[name, version] = {e.path: e for e in mappu.survey(root).endpoints}
    return found


@pytest.mark.parametrize("service", RECORDED, ids="-".join)
def test_every_endpoint_is_found(service: tuple[str, str], said: Any) -> None:
    assert set(said[service]) == set(CASES[service[0]])


@pytest.mark.parametrize(("service", "path"), [(s, p) for s in RECORDED for p in CASES[s[0]]], ids=str)
def test_behaves(service: tuple[str, str], path: str, said: Any) -> None:
    endpoint, happened, case = said[service][path], RECORDED[service][path], CASES[service[0]][path]
    if case["accepted"] is not None:
        assert happened["accepted"] < 300
    for i, (changes, name, kind) in enumerate(case["broken"]):
        status = happened[f"broken {i}"]
        found = {c.status for c in field(endpoint, name).constraints if c.kind == kind}
        assert found & EXPECTED[status // 100], (changes, kind, status, found)
    for key, status in happened.items():
        if key.startswith("without "):
            name = key.removeprefix("without ")
            assert field(endpoint, name).required == (400 <= status < 500), (key, status)
