"""Text, lists and numbers with no upper limit."""

import re
from collections.abc import Iterator

from mappu.gaps.base import gap_on, remedy
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import FieldEvidence, Scan

kind = "unbounded"

# Any of these bounds a value of the type from above, or says that something else decides what is allowed.
_BOUNDS = {
    "string": {"maxLength", "enum", "const", "format", "exists"},
    "array": {"maxItems", "enum", "const"},
    "integer": {"maximum", "exclusiveMaximum", "enum", "const", "exists"},
    "number": {"maximum", "exclusiveMaximum", "enum", "const", "exists", "digits"},
}
_WORDS = {"string": ("text", "limit-string"), "array": ("list", "limit-array"), "integer": ("number", "limit-number"),
          "number": ("number", "limit-number")}  # fmt: skip
# A path, a header and a cookie are bounded by the server's own limit on the request's head.
_PLACES = frozenset({"query", "body", "form"})


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        for found in route.fields:
            if _unbounded(found):
                what, closed_by = _WORDS[found.field.type]
                where = found.field.declared
                assert where is not None
                why = f"`{found.field.path}` is a {what} with no upper limit"
                yield gap_on(kind, route, found, where, why, remedy(route, closed_by))


def _unbounded(found: FieldEvidence) -> bool:
    field = found.field
    if field.place not in _PLACES or field.type not in _BOUNDS or field.standing in ("bare", "idle", "unknown"):
        return False
    kinds = {c.kind for c in field.constraints}
    if kinds & _BOUNDS[field.type] or "custom" in kinds or any(c.status == "breaks" for c in field.constraints):
        return False
    if field.type == "array" and any(s in field.path for s in ("[]", "{}")) and found.shape.items is None:
        return False
    patterns = [str(c.value) for c in field.constraints if c.kind == "pattern"]
    return all(re.search(r"(?<!\\)[*+]|\{\d*,\}", p) for p in patterns)
