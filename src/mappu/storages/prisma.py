"""Prisma: models in a schema file of their own, written through a client's members."""

import re
from collections.abc import Iterator, Mapping

from mappu.flow.values import Into
from mappu.inventory.model import Place
from mappu.sources.text import load
from mappu.sources.walk import SourceFile
from mappu.storages.base import Column, Table, base_of
from mappu.syntax import nodes as n
from mappu.vocabularies.shape import Reader

_BLOCK = re.compile(r"^[ \t]*(model|enum|datasource)\s+(\w+)\s*\{([^}]*)\}", re.M)
_FIELD = re.compile(r"^(\w+)\s+(\w+)(\[\])?(\?)?(.*)$")
_LENGTH = re.compile(r"@db\.(?:VarChar|Char|NVarChar|NChar)\((\d+)\)")
_FILLED = re.compile(r"@(?:default\(|updatedAt\b)")
# What a text column without a length of its own holds, by database.
_TEXT = {"mysql": 191, "sqlserver": 1000}


class Prisma:
    """The library."""

    name = "prisma"
    language = "javascript"

    def __init__(self) -> None:
        self._read: dict[tuple[str, ...], Mapping[str, Table]] = {}

    def table(self, reader: Reader, into: Into) -> Table | None:
        base = base_of(into)
        files = [d for d in reader.documents if d.path.endswith(".prisma")]
        if not isinstance(base, n.Member) or not files:
            return None
        key = tuple(f.real for f in files)
        if key not in self._read:
            self._read = {key: _tables(files)}
        return self._read[key].get(base.name)


def _tables(files: list[SourceFile]) -> Mapping[str, Table]:
    """Every model, by the name that the client knows it by."""
    blocks = [(file.path, *block) for file in files for block in _blocks(file)]
    enums = {
        name: tuple(line for _, line in body if _is_name(line)) for _, _, kind, name, body in blocks if kind == "enum"
    }
    models = {name for _, _, kind, name, _ in blocks if kind == "model"}
    sources = [line for _, _, kind, _, body in blocks if kind == "datasource" for _, line in body]
    provider = next((line for line in sources if line.startswith("provider")), "")
    text = next((most for database, most in _TEXT.items() if f'"{database}"' in provider), None)
    found: dict[str, Table] = {}
    for path, _, kind, name, body in blocks:
        if kind == "model":
            columns = [
                c for number, line in body if (c := _column(Place(path, number, line), line, enums, models, text))
            ]
            found[name[:1].lower() + name[1:]] = Table(name, {c.name: c for c in columns})
    return found


def _is_name(line: str) -> bool:
    return re.fullmatch(r"\w+", line) is not None


def _blocks(file: SourceFile) -> Iterator[tuple[int, str, str, list[tuple[int, str]]]]:
    """Yield each block of a schema file: its line, kind, name and numbered lines."""
    data, _ = load(file)
    text = data.decode("utf-8", "replace") if data is not None else ""
    for match in _BLOCK.finditer(text):
        first = text.count("\n", 0, match.start(3)) + 1
        lines = [(first + i, line.partition("//")[0].strip()) for i, line in enumerate(match[3].split("\n"))]
        yield first, match[1], match[2], [(i, line) for i, line in lines if line and not line.startswith("@@")]


def _column(
    place: Place, line: str, enums: Mapping[str, tuple[str, ...]], models: set[str], text: int | None
) -> Column | None:
    match = _FIELD.match(line)
    if match is None or match[2] in models or match[3]:
        return None
    name, type_, rest = match[1], match[2], match[5]
    length = _LENGTH.search(rest)
    longest = int(length[1]) if length else text if type_ == "String" and "@db." not in rest else None
    return Column(name, place, longest, bool(match[4]), _FILLED.search(rest) is not None, enums.get(type_))


storage = Prisma()
