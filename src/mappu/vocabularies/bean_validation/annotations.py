"""What each annotation of Bean Validation and its common provider checks: a table."""

from collections.abc import Mapping

import msgspec

from mappu.inventory.model import ConstraintKind, FieldType

Family = tuple[FieldType, ...]
PACKAGES = ("jakarta.validation.constraints.", "javax.validation.constraints.")
PROVIDER = "org.hibernate.validator.constraints."
VALID = frozenset({"jakarta.validation.Valid", "javax.validation.Valid"})
CONSTRAINT = frozenset({"jakarta.validation.Constraint", "javax.validation.Constraint"})
OVERRIDES = frozenset({"jakarta.validation.OverridesAttribute", "javax.validation.OverridesAttribute"})
CONVERT = frozenset({"jakarta.validation.groups.ConvertGroup", "javax.validation.groups.ConvertGroup"})
SEQUENCE = frozenset({"jakarta.validation.GroupSequence", "javax.validation.GroupSequence"})

_TEXT: Family = ("string",)
_NUMBER: Family = ("integer", "number", "string")
_SIZED: Family = ("string", "array", "object")


class Meaning(msgspec.Struct, frozen=True):
    """What an annotation checks: the constraints it takes from its elements (kind, element, default), those it has by itself,
    the types it works on (any where there are none), and whether a null value is refused."""

    takes: tuple[tuple[ConstraintKind, str, object], ...] = ()
    fixed: tuple[tuple[ConstraintKind, object], ...] = ()
    works_on: Family = ()
    refuses_null: bool = False


def _one(kind: ConstraintKind, value: object = True, on: Family = (), null: bool = False) -> Meaning:
    return Meaning(fixed=((kind, value),), works_on=on, refuses_null=null)


def _format(name: str) -> Meaning:
    return _one("format", name, _TEXT)


_SIZE = Meaning((("minLength", "min", 0), ("maxLength", "max", None)), works_on=_SIZED)

MEANINGS: Mapping[str, Meaning] = {
    "NotNull": _one("notNull", null=True), "NotBlank": _one("notBlank", on=_TEXT, null=True),
    "NotEmpty": _one("notEmpty", on=_SIZED, null=True), "Null": _one("const", None), "Size": _SIZE,
    "Min": Meaning((("minimum", "value", None),), works_on=_NUMBER), "Max": Meaning((("maximum", "value", None),),
    works_on=_NUMBER),
    "DecimalMin": Meaning((("minimum", "value", None),), works_on=_NUMBER),
    "DecimalMax": Meaning((("maximum", "value", None),), works_on=_NUMBER),
    "Positive": _one("exclusiveMinimum", 0, _NUMBER), "PositiveOrZero": _one("minimum", 0, _NUMBER),
    "Negative": _one("exclusiveMaximum", 0, _NUMBER), "NegativeOrZero": _one("maximum", 0, _NUMBER),
    "Digits": Meaning((("digits", "integer", None),), works_on=_NUMBER), "Email": _format("email"),
    "Pattern": Meaning((("pattern", "regexp", None),), works_on=_TEXT), "Past": _one("past"), "PastOrPresent": _one("past",
    "or present"),
    "Future": _one("future"), "FutureOrPresent": _one("future", "or present"), "AssertTrue": _one("const", True, ("boolean",)),
    "AssertFalse": _one("const", False, ("boolean",)),
    # The provider's own.
    "Length": Meaning((("minLength", "min", 0), ("maxLength", "max", None)), works_on=_TEXT),
    "CodePointLength": Meaning((("minLength", "min", 0), ("maxLength", "max", None)), works_on=_TEXT),
    "Range": Meaning((("minimum", "min", 0), ("maximum", "max", None)), works_on=_NUMBER), "URL": _format("uri"),
    "UUID": _format("uuid"),
    "UniqueElements": _one("uniqueItems", on=("array",)), "CreditCardNumber": _format("credit-card"),
    "LuhnCheck": _format("luhn"),
    "EAN": _format("ean"), "ISBN": _format("isbn"), "Mod10Check": _one("custom", "Mod10Check", _TEXT),
    "Mod11Check": _one("custom", "Mod11Check", _TEXT), "Currency": _one("custom", "Currency"), "ScriptAssert": _one("custom",
    "ScriptAssert"),
    "Normalized": _one("custom", "Normalized", _TEXT), "IpAddress": _format("ip"), "BitcoinAddress": _format("btc-address"),
}  # fmt: skip

# Limits that another element turns from "at most" into "less than".
EXCLUSIVE: Mapping[ConstraintKind, ConstraintKind] = {"minimum": "exclusiveMinimum", "maximum": "exclusiveMaximum"}
SIZES: Mapping[tuple[ConstraintKind, FieldType], ConstraintKind] = {
    ("minLength", "array"): "minItems", ("maxLength", "array"): "maxItems",
    ("minLength", "object"): "minProperties", ("maxLength", "object"): "maxProperties",
}  # fmt: skip


def meaning_of(full: str) -> tuple[str, Meaning] | None:
    """The name and meaning of an annotation by its full name; None where it is no constraint of these."""
    for package in (*PACKAGES, PROVIDER):
        if full.startswith(package):
            name = full[len(package) :].removesuffix(".List")
            found = MEANINGS.get(name)
            return (name, found) if found is not None else None
    return None
