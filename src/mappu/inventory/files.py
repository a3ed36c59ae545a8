"""Reading and writing inventory files."""

from pathlib import Path
from typing import Any

import msgspec

from mappu.inventory.errors import FormatError
from mappu.inventory.model import Inventory

_decoder = msgspec.json.Decoder(Inventory)


def encode(inventory: Inventory) -> bytes:
    """Return the inventory as UTF-8 JSON, two spaces deep, the same bytes for the same inventory."""
    # A copy with the format first: the class keeps it last because it has a default.
    built: dict[str, Any] = msgspec.to_builtins(inventory)
    ordered = {"format": built.pop("format"), **built}
    return msgspec.json.format(msgspec.json.encode(ordered), indent=2) + b"\n"


def decode(data: bytes, name: str) -> Inventory:
    """Return the inventory held in `data`; `name` is the file's name for the error message.

    Raises FormatError where the bytes are not an inventory of the format this version reads.
    """
    try:
        return _decoder.decode(data)
    except (msgspec.ValidationError, msgspec.DecodeError, UnicodeDecodeError) as error:
        raise FormatError(f"{name}: not a mappu-inventory/1 file: {error}") from None


def looks_like_inventory(path: Path) -> bool:
    """True for a JSON file that names the inventory format near its start."""
    if path.suffix.lower() != ".json" or not path.is_file():
        return False
    with path.open("rb") as file:
        return b"mappu-inventory/" in file.read(200)


def json_schema() -> bytes:
    """Return the JSON Schema (2020-12) of the inventory format."""
    schema = msgspec.json.schema(Inventory)
    schema = {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "mappu-inventory/1", **schema}
    return msgspec.json.format(msgspec.json.encode(schema), indent=2) + b"\n"
