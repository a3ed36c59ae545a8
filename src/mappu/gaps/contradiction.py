"""Rules that can never hold together, and defaults that break their own rule."""

import re
from collections.abc import Iterator
from typing import Any

from mappu.gaps.base import gap_on, noted
from mappu.inventory.model import Constraint, Gap
from mappu.pipeline.evidence import FieldEvidence, Scan

kind = "contradiction"

_PAIRS = (("minimum", "maximum", False), ("exclusiveMinimum", "maximum", True), ("minimum", "exclusiveMaximum", True),
          ("exclusiveMinimum", "exclusiveMaximum", True), ("minLength", "maxLength", False),
          ("minItems", "maxItems", False), ("minProperties", "maxProperties", False))  # fmt: skip
_MEETS = {False: "a default is never checked", True: "a request that leaves the field out is turned away"}
_WORDS = {"minimum": "at least", "maximum": "at most", "exclusiveMinimum": "more than", "exclusiveMaximum": "less than",
          "minLength": "at least this long:", "maxLength": "at most this long:", "minItems": "at least this many:",
          "maxItems": "at most this many:", "minProperties": "at least this many keys:",
          "maxProperties": "at most this many keys:"}  # fmt: skip


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        yield from noted(route, kind)
        for found in route.fields:
            if found.alternatives:
                continue
            clash = _clash(found)
            if clash is not None:
                low, high = clash
                why = (f"`{found.field.path}` must be {_WORDS[low.kind]} {low.value} and {_WORDS[high.kind]} {high.value}: "
                       "no value can be both")  # fmt: skip
                yield gap_on(kind, route, found, high.declared, why, "decide which of the two limits is meant")
            broken = _broken_default(found)
            if broken is not None and found.default is not None:
                value = found.default.value
                why = (
                    f"the default of `{found.field.path}` ({value!r}) breaks its own rule {broken.kind} "
                    f"{broken.value!r}; {_MEETS[found.default.checked]}"
                )
                yield gap_on(
                    kind, route, found, found.default.place, why, "choose a default that the rule lets through"
                )


def _number(value: object) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool)


def _clash(found: FieldEvidence) -> tuple[Constraint, Constraint] | None:
    by_kind: dict[str, list[Constraint]] = {}
    for constraint in found.field.constraints:
        by_kind.setdefault(constraint.kind, []).append(constraint)
    for low_kind, high_kind, strict in _PAIRS:
        for low in by_kind.get(low_kind, ()):
            for high in by_kind.get(high_kind, ()):
                if _number(low.value) and _number(high.value):
                    if low.value > high.value or (strict and low.value == high.value):
                        return low, high
    return None


def _broken_default(found: FieldEvidence) -> Constraint | None:
    default = found.default
    if default is None or not default.known or default.value is None:
        return None
    return next((c for c in found.field.constraints if _breaks(c, default.value)), None)


def _breaks(rule: Constraint, value: Any) -> bool:
    limit: Any = rule.value
    if _number(value) and _number(limit):
        numbers = {
            "minimum": value < limit, "maximum": value > limit, "exclusiveMinimum": value <= limit,
            "exclusiveMaximum": value >= limit, "multipleOf": bool(limit) and value % limit != 0,
        }  # fmt: skip
        return bool(numbers.get(rule.kind))
    if isinstance(value, str | list) and _number(limit):
        sizes = {
            "minLength": len(value) < limit, "maxLength": len(value) > limit, "minItems": len(value) < limit,
            "maxItems": len(value) > limit,
        }  # fmt: skip
        return bool(sizes.get(rule.kind))
    if rule.kind == "enum" and isinstance(limit, list) and limit:
        return value not in limit
    if rule.kind == "pattern" and isinstance(value, str) and isinstance(limit, str):
        try:
            return re.search(limit, value) is None
        except re.error:
            return False
    return False
