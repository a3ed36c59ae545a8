"""The sample harbour: what is planted and what is found are the same, and one command runs the whole example."""

import tomllib
from typing import Any

import mappu
from mappu.demo import write


def test_planted_gaps_are_found_and_nothing_else(tmp_path: Any) -> None:
    write(tmp_path)
    listed = tomllib.loads((tmp_path / "planted-gaps.toml").read_text())["gap"]
    planted = sorted((g["kind"], g.get("endpoint"), g.get("in"), g.get("field"), g["file"]) for g in listed)
    inventory = mappu.survey(tmp_path)
    found = sorted((g.kind, g.endpoint, g.place, g.field, g.where.file) for g in inventory.gaps)
    assert [str(g) for g in found] == [str(g) for g in planted]
    assert not inventory.unfollowed
    guarded = [e for e in inventory.endpoints if e.id not in {g.endpoint for g in inventory.gaps}]
    assert len(guarded) * 2 >= len(inventory.endpoints) - 1


def test_demo_runs_the_whole_example(workshop: Any) -> None:
    done = workshop.spawn("demo")
    assert done.returncode == 0, done.stderr
    for said in ("$ mappu survey", "$ mappu fields", "$ mappu gaps", "bare-input", "> 0"):
        assert said in done.stdout
    assert (workshop.root / "harbour-demo" / "berths" / "main.py").is_file()
