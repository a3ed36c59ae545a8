"""The settings: `mappu.toml`, or `[tool.mappu]` of pyproject.toml, beside what is scanned or above it in the checkout."""

import datetime
import tomllib
from pathlib import Path
from typing import Any, Literal, get_args, get_origin

import msgspec

from mappu.inventory.errors import SettingsError, nearest
from mappu.inventory.kinds import KINDS
from mappu.inventory.model import ConstraintKind, Severity


class _Table(msgspec.Struct, frozen=True, rename="kebab", forbid_unknown_fields=True):
    """Base of everything in the settings file; keys are written with hyphens."""


class HouseRule(_Table, frozen=True):
    """An in-house type, annotation or function, by its full dotted name, and the constraints it stands for."""

    constraints: dict[ConstraintKind, Any]
    type: str | None = None
    annotation: str | None = None
    function: str | None = None

    @property
    def name(self) -> str:
        return self.type or self.annotation or self.function or ""


class HouseRunner(_Table, frozen=True):
    """An in-house decorator, by its full dotted name, that runs the rules of the handler below it."""

    decorator: str


class Accepted(_Table, frozen=True):
    """A gap that is known and accepted, with the reason; it returns after the day `until`."""

    kind: str
    reason: str
    endpoint: str | None = None
    field: str | None = None
    file: str | None = None
    until: datetime.date | None = None


class Settings(_Table, frozen=True):
    """What the user decided. `where` is the file it was read from."""

    leave_out: tuple[str, ...] = ()
    take_in: tuple[str, ...] = ()
    threshold: Severity | Literal["never"] = "medium"
    severity: dict[str, Severity | Literal["off"]] = {}
    rule: tuple[HouseRule, ...] = ()
    runner: tuple[HouseRunner, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    where: str | None = None


def load(start: Path) -> Settings:
    """Return the settings for a scan of `start`: the nearest file that has any, up to the top of the checkout."""
    folder = start if start.is_dir() else start.parent
    above = [folder, *folder.parents]
    top = next((i for i, f in enumerate(above) if (f / ".git").exists()), 0)
    for candidate in above[: top + 1]:
        own = candidate / "mappu.toml"
        if own.is_file():
            return parse(_toml(own), str(own))
        project = candidate / "pyproject.toml"
        if project.is_file():
            try:
                table = _toml(project).get("tool", {}).get("mappu")
            except SettingsError:
                # A damaged pyproject is the manifest reader's to report; it need not hold settings at all.
                table = None
            if table is not None:
                return parse(table, f"{project} [tool.mappu]")
    return Settings()


def _toml(path: Path) -> dict[str, Any]:
    try:
        return tomllib.loads(path.read_text("utf-8"))
    except (tomllib.TOMLDecodeError, UnicodeDecodeError, OSError) as error:
        raise SettingsError(f"{path}: {error}") from None


def parse(table: dict[str, Any], where: str) -> Settings:
    """Return the settings in `table`. Raises SettingsError naming `where`, the key, and the nearest known one."""
    _check_keys(table, Settings, where, "")
    try:
        found = msgspec.convert(table, Settings)
    except msgspec.ValidationError as error:
        raise SettingsError(f"{where}: {error}") from None
    for kind in (*found.severity, *(a.kind for a in found.accepted)):
        if kind not in KINDS:
            raise SettingsError(f"{where}: unknown gap kind {kind!r}.{nearest(kind, KINDS)}")
    for rule in found.rule:
        if sum(x is not None for x in (rule.type, rule.annotation, rule.function)) != 1:
            raise SettingsError(f"{where}: a [[rule]] names one of type, annotation, function")
    return msgspec.structs.replace(found, where=where)


def _check_keys(table: Any, shape: type[msgspec.Struct], where: str, above: str) -> None:
    fields = {f.encode_name: f for f in msgspec.structs.fields(shape) if f.name != "where"}
    for key, value in table.items() if isinstance(table, dict) else ():
        if key not in fields:
            raise SettingsError(f"{where}: unknown key {above + key!r}.{nearest(key, fields)}")
        inner = [a for a in get_args(fields[key].type) if isinstance(a, type) and issubclass(a, msgspec.Struct)]
        for item in value if inner and isinstance(value, list) else ():
            _check_keys(item, inner[0], where, f"{key}.")
        if get_origin(fields[key].type) is dict and key == "constraints" and isinstance(value, dict):
            for kind in value:
                if kind not in get_args(ConstraintKind):
                    known = get_args(ConstraintKind)
                    raise SettingsError(f"{where}: unknown constraint kind {kind!r}.{nearest(kind, known)}")
