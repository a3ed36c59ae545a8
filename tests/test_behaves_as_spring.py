"""What Mappu says of a Spring service against what the running service answered: recorded with Maven for two versions, as a
build and a start take a minute each (`tests/recorded/spring/record.py` makes the record anew)."""

import json
from pathlib import Path
from typing import Any

import pytest

import mappu
from conftest import field

HERE = Path(__file__).parent / "recorded" / "spring"
CASES = json.loads((HERE / "cases.json").read_text())
RECORDED = json.loads((HERE / "recorded.json").read_text())
POM = """<project><parent><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-parent</artifactId>
<version>{}</version></parent><artifactId>app</artifactId><dependencies>
<dependency><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-web</artifactId></dependency>
<dependency><groupId>org.springframework.boot</groupId><artifactId>spring-boot-starter-validation</artifactId></dependency>
</dependencies></project>"""
EXPECTED = {2: {"idle", "leaks"}, 4: {"runs"}, 5: {"breaks"}}


@pytest.fixture(scope="module", params=RECORDED)
def said(request: Any, tmp_path_factory: Any) -> Any:
    """What Mappu says of the service at one version, by path, with what was recorded of it."""
    root = tmp_path_factory.mktemp("spring")
    for file in HERE.glob("*.java"):
        (root / file.name).write_text(file.read_text())
    (root / "pom.xml").write_text(POM.format(request.param))
    return {e.path: e for e in mappu.survey(root).endpoints}, RECORDED[request.param]


def test_every_endpoint_is_found(said: Any) -> None:
    assert set(said[0]) == set(CASES)


@pytest.mark.parametrize("path", CASES)
def test_behaves(path: str, said: Any) -> None:
    endpoints, recorded = said
    endpoint, happened, case = endpoints[path], recorded[path], CASES[path]
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
