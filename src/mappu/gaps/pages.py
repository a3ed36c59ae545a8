"""The pages of `mappu explain`: what a gap kind means, and how each framework closes it."""

import re
from collections.abc import Iterator
from importlib import resources


def page(kind: str) -> str:
    """Return the Markdown page of a gap kind: the general part, then a section from every framework's own page."""
    general = resources.files("mappu.gaps").joinpath("pages", f"{kind}.md").read_text("utf-8")
    return general + "".join(f"\n## {name}\n\n{section}\n" for name, section in _sections(kind))


def _sections(kind: str) -> Iterator[tuple[str, str]]:
    folder = resources.files("mappu.frameworks").joinpath("pages")
    for file in sorted(folder.iterdir(), key=lambda f: f.name):
        text = file.read_text("utf-8")
        title = re.match(r"# (.+)", text)
        found = re.search(rf"^## {kind}\n(.*?)(?=^## |\Z)", text, re.M | re.S)
        if title is not None and found is not None:
            yield title[1], found[1].strip()
