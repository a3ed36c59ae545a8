"""What all tests share: services written to a temporary folder, and the program run on them."""

import subprocess
import sys
import textwrap
from pathlib import Path

import pytest
from click.testing import CliRunner, Result

import mappu
from mappu.cli import cli
from mappu.inventory.model import Endpoint, Field, Inventory

MANIFEST = '[project]\nname = "svc"\ndependencies = ["fastapi[standard]", "pydantic-settings", "sqlmodel"]\n'


class Workshop:
    """A temporary folder to write a service into and run Mappu on."""

    def __init__(self, root: Path) -> None:
        self.root = root

    def write(self, files: dict[str, str] | str, manifest: str | None = MANIFEST) -> Path:
        """Write the files (or one main.py) below the folder."""
        given = {"main.py": files} if isinstance(files, str) else files
        for name, text in given.items():
            path = self.root / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(textwrap.dedent(text), "utf-8")
        if manifest is not None and "pyproject.toml" not in given:
            (self.root / "pyproject.toml").write_text(manifest)
        return self.root

    def survey(self, files: dict[str, str] | str) -> Inventory:
        return mappu.survey(self.write(files))

    def run(self, *args: str) -> Result:
        """Run the program in this process, its two outputs apart."""
        return CliRunner().invoke(cli, list(args))

    def spawn(self, *args: str) -> "subprocess.CompletedProcess[str]":
        """Run the program as a process of its own."""
        command = [sys.executable, "-m", "mappu", *args]
        return subprocess.run(command, capture_output=True, text=True, cwd=self.root, timeout=120, check=False)


@pytest.fixture
def workshop(tmp_path: Path) -> Workshop:
    folder = tmp_path / "svc"
    folder.mkdir()
    return Workshop(folder)


def endpoint(inventory: Inventory, words: str) -> Endpoint:
    """The endpoint "METHOD path"."""
    return next(e for e in inventory.endpoints if f"{e.method} {e.path}" == words)


def field(found: Endpoint, path: str, place: str | None = None) -> Field:
    return next(f for f in found.fields if f.path == path and place in (None, f.place))


def limits(found: Field) -> set[tuple[str, object, str]]:
    """A field's constraints as (kind, value, status), lists made hashable."""
    return {(c.kind, tuple(c.value) if isinstance(c.value, list) else c.value, c.status) for c in found.constraints}
