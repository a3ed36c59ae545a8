"""The inventory: what a scan found, in the words of the file format `mappu-inventory/1`.

Everything here is plain frozen data. The JSON Schema in docs/ is generated from these classes, so a change here is a
change of the file format.
"""

from typing import Any, Literal

import msgspec

FORMAT: Literal["mappu-inventory/1"] = "mappu-inventory/1"

Surface = Literal["http", "server-action", "rpc", "form", "settings", "message"]
PlaceIn = Literal["path", "query", "header", "cookie", "body", "form", "settings"]
FieldType = Literal["string", "integer", "number", "boolean", "array", "object", "file", "any"]
Status = Literal["runs", "breaks", "leaks", "idle", "unknown"]
Standing = Literal["enforced", "shape-only", "unknown", "leaky", "idle", "bare", "no-input"]
Severity = Literal["low", "medium", "high"]
ConstraintKind = Literal[
    "type", "required", "nullable", "enum", "const", "minLength", "maxLength", "pattern", "format",
    "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum", "multipleOf",
    "minItems", "maxItems", "uniqueItems", "minProperties", "maxProperties",
    "notNull", "notEmpty", "notBlank", "digits", "past", "future", "equalsField", "differsFrom",
    "requiredWith", "requiredWithout", "requiredIf", "atLeastOneOf", "unique", "exists", "custom",
]  # fmt: skip

PLACES: tuple[PlaceIn, ...] = ("path", "query", "header", "cookie", "body", "form", "settings")
SEVERITIES: tuple[Severity, ...] = ("low", "medium", "high")


class Record(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Base of everything stored in the inventory."""


class Place(Record, frozen=True):
    """A place in the source: the file (relative to the scanned root), the 1-based line, and the text there if kept."""

    file: str
    line: int
    text: str | None = None


class Handler(Record, frozen=True):
    """The function that serves an endpoint, or the class for settings."""

    symbol: str
    file: str
    line: int


class RunBy(Record, frozen=True):
    """What makes a constraint happen on this route, and where."""

    what: str
    file: str
    line: int
    text: str


class Constraint(Record, frozen=True):
    """One limit on one field. `status` tells what a request that breaks only this one meets."""

    kind: ConstraintKind
    value: Any
    status: Status
    message: str | None
    declared: Place
    run_by: RunBy | None = None
    why_not: str | None = None


class Field(Record, frozen=True, rename={"place": "in"}):
    """One thing the client can send. `path` is dotted, with `[]` for list elements and `{}` for map values; `*` is the
    body as a whole."""

    place: PlaceIn
    path: str
    type: FieldType
    required: bool
    nullable: bool
    standing: Standing
    model: str | None
    declared: Place | None
    constraints: tuple[Constraint, ...] = ()


class Endpoint(Record, frozen=True):
    """One way in."""

    id: str
    service: str
    surface: Surface
    method: str
    path: str
    framework: str
    standing: Standing
    handler: Handler
    fields: tuple[Field, ...] = ()


class Service(Record, frozen=True):
    """A folder with its own manifest and endpoints."""

    name: str
    path: str
    languages: tuple[str, ...]
    frameworks: tuple[str, ...]


class Gap(Record, frozen=True, rename={"place": "in"}):
    """Something wrong or missing. `endpoint`, `field` and `in` are null where the gap is not about one of them."""

    kind: str
    severity: Severity
    endpoint: str | None
    field: str | None
    place: PlaceIn | None
    where: Place
    why: str
    fix: str


class Unfollowed(Record, frozen=True):
    """A place where the source could not be followed."""

    file: str
    line: int
    what: str


class Inventory(Record, frozen=True):
    """Everything a scan found. Sorted, so that the same source gives the same bytes."""

    services: tuple[Service, ...] = ()
    endpoints: tuple[Endpoint, ...] = ()
    gaps: tuple[Gap, ...] = ()
    unfollowed: tuple[Unfollowed, ...] = ()
    format: Literal["mappu-inventory/1"] = FORMAT
