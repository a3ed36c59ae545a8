"""How constraints, types and places are put into a few words."""

from collections.abc import Iterable

from mappu.inventory.model import Constraint, Field, Place

_WORDS = {
    "exclusiveMinimum": "> {}", "minimum": ">= {}", "exclusiveMaximum": "< {}", "maximum": "<= {}",
    "minLength": "length >= {}", "maxLength": "length <= {}", "minItems": "items >= {}", "maxItems": "items <= {}",
    "minProperties": "keys >= {}", "maxProperties": "keys <= {}", "multipleOf": "multiple of {}", "pattern": "pattern {}",
    "format": "{}", "enum": "one of {}", "const": "= {}", "uniqueItems": "unique items", "notNull": "not null",
    "notEmpty": "not empty", "notBlank": "not blank", "equalsField": "same as {}", "differsFrom": "not same as {}",
    "custom": "custom {}", "type": "type {}", "exists": "exists", "unique": "unique", "required": "required",
    "atLeastOneOf": "at least one of {}", "past": "in the past", "future": "in the future", "digits": "digits {}",
}  # fmt: skip


def value(found: object) -> str:
    """A constraint's value in few words; long ones are cut."""
    if isinstance(found, list):
        text = ", ".join(str(v) for v in found)
    elif isinstance(found, dict):
        text = ", ".join(f"{k} {v}" for k, v in found.items() if v is not None)
    else:
        text = str(found)
    return text if len(text) <= 60 else text[:59] + "…"


def constraint(found: Constraint) -> str:
    """One constraint, with its status where it does not simply run."""
    text = _WORDS.get(found.kind, found.kind + " {}").format(value(found.value))
    return text if found.status == "runs" else f"{text} ({found.status})"


def constraints(found: Iterable[Constraint]) -> str:
    """All constraints of a field."""
    return "; ".join(constraint(c) for c in found)


def type_of(field: Field) -> str:
    """The type, with `?` where null is let through and `!` where the field must be sent."""
    return f"{field.type}{'?' if field.nullable else ''}{' !' if field.required else ''}"


def place(found: Place | None) -> str:
    """`file:line`."""
    return f"{found.file}:{found.line}" if found is not None else ""


def shortened(path: str, width: int) -> str:
    """A path that fits: the folders at its beginning are left out first, and never a part of the file's name."""
    parts = path.split("/")
    while len("/".join(parts)) > width - 2 and len(parts) > 1:
        parts.pop(0)
    found = "/".join(parts)
    return found if found == path else f"…/{found}"
