"""Settings and messages in `.properties` and YAML files: dotted keys to text."""

import re
from collections.abc import Iterator

import yaml

from mappu.sources.text import load
from mappu.sources.walk import SourceFile

_LINE = re.compile(r"^\s*([^#!=:\s][^=:\s]*)\s*[=:\s]\s*(.*)$")
# What a build puts in: no YAML until it has.
_FILLED_IN = re.compile(r":\s+(@[\w.-]+@)\s*$", re.M)
MAX_DEPTH = 20


def properties(file: SourceFile) -> dict[str, str]:
    """Return the keys of a file with their values; nothing where it cannot be read."""
    data, _ = load(file)
    text = data.decode("utf-8", "replace") if data is not None else ""
    if not file.path.endswith((".yml", ".yaml")):
        return {m[1]: m[2].strip() for line in text.splitlines() if (m := _LINE.match(line)) is not None}
    try:
        return {k: v for part in yaml.safe_load_all(_FILLED_IN.sub(r': "\1"', text)) for k, v in _flat(part, "", 0)}
    except (yaml.YAMLError, RecursionError, ValueError):
        return {}


def _flat(part: object, above: str, depth: int) -> Iterator[tuple[str, str]]:
    if isinstance(part, dict) and depth < MAX_DEPTH:
        for key, value in part.items():
            yield from _flat(value, f"{above}.{key}" if above else str(key), depth + 1)
    elif part is not None and not isinstance(part, list):
        yield above, str(part)
