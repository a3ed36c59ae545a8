"""Saltmarsh Harbour: the sample services, shipped as data. Nothing in them is ever imported or run."""

import shutil
from importlib import resources
from pathlib import Path


def write(folder: Path) -> None:
    """Copy the sample services to a folder, over what an earlier run left there."""
    with resources.as_file(resources.files("mappu.demo").joinpath("harbour")) as source:
        shutil.copytree(source, folder, dirs_exist_ok=True, ignore=shutil.ignore_patterns("__pycache__"))
