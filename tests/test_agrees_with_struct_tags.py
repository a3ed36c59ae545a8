"""What Mappu makes of struct tags against the validator itself: each value is refused by the constraints where the validator
refuses it, and is let through by them where it lets it through (`tests/recorded/go/record.py tags` asks it anew)."""

import json
import re
from pathlib import Path
from typing import Any

import pytest

import mappu
from conftest import endpoint, field
from mappu.inventory.model import Constraint, Field

RECORDED = Path(__file__).parent / "recorded" / "go" / "tags" / "recorded.json"
# (type, tag) -> values, on both sides of every limit; None is nothing at all, where the type is a pointer.
TABLE: list[tuple[str, str, list[Any]]] = [
    # --- presence and what lets the zero value past
    ("string", "required", ["", " ", "a"]),
    ("int", "required", [0, 1, -1]),
    ("float64", "required", [0.0, 0.5]),
    ("bool", "required", [True, False]),
    ("[]string", "required", [[""], ["a"]]),
    ("*string", "required", [None, "", "a"]),
    ("*int", "required", [None, 0, 1]),
    ("string", "omitempty,min=2", ["", "a", "ab"]),
    ("int", "omitempty,min=3,max=5", [0, 1, 3, 5, 6]),
    ("*int", "omitempty,min=3", [None, 0, 2, 3]),
    ("*string", "omitempty,len=2", [None, "", "a", "ab"]),
    ("*int", "min=3", [None, 2, 3]),
    ("*string", "max=2", [None, "", "ab", "abc"]),
    ("string", "omitempty,required", ["", "a"]),
    # --- comparisons
    ("int", "min=2,max=4", [0, 1, 2, 4, 5]),
    ("int", "gte=-2,lte=2", [-3, -2, 0, 2, 3]),
    ("int", "gt=2", [2, 3, 0]),
    ("int", "lt=2", [1, 2, 0]),
    ("float64", "gt=0,lt=2.5", [0.0, 0.1, 2.4, 2.5]),
    ("float64", "min=0.5", [0.4, 0.5, 0.0]),
    ("int", "len=3", [2, 3]),
    ("int", "eq=3", [2, 3, 0]),
    ("string", "eq=ab", ["ab", "abc", ""]),
    ("bool", "eq=true", [True, False]),
    ("int", "min=5,max=2", [1, 3, 6]),
    # --- lengths: characters, not bytes
    ("string", "min=2", ["", "a", "ab", "ä", "äö"]),
    ("string", "max=3", ["", "abc", "abcd", "äöü", "äöüß"]),
    ("string", "len=3", ["ab", "abc", "äöü", "abcd"]),
    ("string", "gt=2", ["ab", "abc"]),
    ("string", "lt=3", ["ab", "abc"]),
    ("string", "gte=2,lte=3", ["a", "ab", "abc", "abcd"]),
    ("[]string", "min=1,max=2", [["a"], ["a", "b"], ["a", "b", "c"]]),
    ("[]int", "len=2", [[1], [1, 2], [1, 2, 3]]),
    ("[]int", "gt=1,lt=4", [[1], [1, 2], [1, 2, 3], [1, 2, 3, 4]]),
    ("map[string]int", "min=1,max=2", [{"a": 1}, {"a": 1, "b": 2}, {"a": 1, "b": 2, "c": 3}]),
    ("[]int", "unique", [[1, 2], [1, 1]]),
    ("[]string", "unique", [["a", "b"], ["a", "a"]]),
    # --- enumerations
    ("string", "oneof=red green", ["red", "green", "blue", "red green", ""]),
    ("string", "oneof='dark red' green", ["dark red", "green", "dark", ""]),
    ("int", "oneof=1 2 5", [1, 2, 3, 5, 0]),
    ("string", "omitempty,oneof=a b", ["", "a", "c"]),
    # --- what is inside
    ("[]string", "dive,max=2", [["a"], ["abc"], ["ab", "abc"]]),
    ("[]string", "max=2,dive,oneof=a b", [["a", "b"], ["c"], ["a", "a", "a"]]),
    ("[]int", "dive,gt=1", [[2], [1], [2, 0]]),
    ("map[string]int", "dive,min=2", [{"a": 2}, {"a": 1}]),
    ("map[string]int", "dive,keys,max=1,endkeys,max=5", [{"a": 5}, {"a": 6}]),
    ("[]string", "min=1,dive,omitempty,len=2", [["ab"], [""], ["a"]]),
    # --- characters
    ("string", "alpha", ["ab", "a1", "a b", "", "ä"]),
    ("string", "alphanum", ["a1", "a-", "", "ä"]),
    ("string", "numeric", ["12", "-1.5", "+3", "1e3", "a", "", "1."]),
    ("string", "number", ["12", "-1", "1.5", ""]),
    ("string", "hexadecimal", ["0x1F", "af", "g", ""]),
    ("string", "lowercase", ["abc", "aBc", "a1", ""]),
    ("string", "uppercase", ["ABC", "aBC", "A1", ""]),
    ("string", "ascii", ["abc", "ä", ""]),
    ("string", "printascii", ["abc", "a\tb", "ä", ""]),
    ("string", "boolean", ["true", "0", "yes", ""]),
    ("string", "contains=@", ["a@b", "ab", ""]),
    ("string", "startswith=ab", ["abc", "cab", ""]),
    ("string", "endswith=bc", ["abc", "bca", ""]),
    ("string", "excludes=x", ["abc", "axb", ""]),
    ("string", "startsnotwith=x", ["abc", "xab", ""]),
    ("string", "endsnotwith=x", ["abc", "abx", ""]),
    ("string", "excludes=0x2C", ["abc", "a,b"]),
    ("string", "contains=0x7C", ["a|b", "ab"]),
    ("string", "contains=a b", ["xa by", "xaby"]),
    ("string", "startswith=a.b", ["a.bc", "axbc"]),
    ("string", "alpha|numeric", ["ab", "12", "a1", ""]),
    # --- several at once, in order
    ("string", "required,min=2,max=4,alphanum", ["", "a", "ab", "abcd", "abcde", "a-b"]),
    ("string", "required,oneof=a b,len=1", ["a", "c", ""]),
]
# Formats are named by what they are; what of it the validator takes is its own affair.
FORMATS: list[tuple[str, str, list[str], list[str]]] = [
    ("email", "email", ["a@b.example"], ["a", "a@b", "Name <a@b.example>", ""]),
    ("url", "uri", ["http://a.example/x", "mailto:x"], ["a.example", ""]),
    ("http_url", "uri", ["https://a.example"], ["ftp://a.example", ""]),
    ("uri", "uri", ["http://a.example", "/a"], [""]),
    ("uuid", "uuid", ["6b2a2a5e-8f29-4c3c-8c6f-0b1f4f8f7c11"], ["6B2A2A5E-8F29-4C3C-8C6F-0B1F4F8F7C11", "x", ""]),
    ("uuid4", "uuid", ["6b2a2a5e-8f29-4c3c-8c6f-0b1f4f8f7c11"], ["6b2a2a5e-8f29-1c3c-8c6f-0b1f4f8f7c11", ""]),
    ("ip", "ip", ["10.0.0.1", "::1"], ["10.0.0", ""]),
    ("ipv4", "ipv4", ["10.0.0.1"], ["::1", ""]),
    ("ipv6", "ipv6", ["::1"], ["10.0.0.1", ""]),
    ("cidr", "cidr", ["10.0.0.0/8"], ["10.0.0.0", ""]),
    ("mac", "mac", ["00:11:22:33:44:55"], ["00:11:22", ""]),
    ("hostname", "hostname", ["a-b.example"], ["a_b", ""]),
    ("fqdn", "hostname", ["a.example"], ["a", ""]),
    ("datetime=2006-01-02", "date", ["2024-02-29"], ["2024-02-30", "29.2.2024", ""]),
    ("datetime=15:04", "time", ["16:05", "6:05"], ["25:00", ""]),
    ("e164", "e164", ["+4912345678"], ["12 34", ""]),
    ("hexcolor", "hexcolor", ["#fff"], ["fff", ""]),
    ("base64", "base64", ["YQ=="], ["a", ""]),
    ("json", "json", ['{"a": 1}'], ["{", ""]),
    ("semver", "semver", ["1.2.3"], ["1.2", ""]),
    ("latitude", "latitude", ["53.5"], ["91", ""]),
    ("isbn13", "isbn13", ["978-3-16-148410-0"], ["978-3-16-148410-1", ""]),
    ("credit_card", "credit-card", ["4111111111111111"], ["4111111111111112", ""]),
    ("iso3166_1_alpha2", "iso3166-1-alpha2", ["DE"], ["de", "XX", ""]),
    ("timezone", "timezone", ["Europe/Paris"], ["Europe", ""]),
    ("mongodb", "mongodb-id", ["507f1f77bcf86cd799439011"], ["507f", ""]),
]


def triples() -> list[tuple[str, str, Any]]:
    """Every value with the type and the tag it is held against, in the order of the record."""
    found = [(type_, tag, value) for type_, tag, values in TABLE for value in values]
    found += [("string", tag, value) for tag, _, good, bad in FORMATS for value in (*good, *bad)]
    return found


def _service(fields: list[tuple[str, str]]) -> str:
    lines = "\n".join(f'    F{i} {type_} `json:"f{i}" binding:"{tag}"`' for i, (type_, tag) in enumerate(fields))
    return f"""
package main
import "github.com/gin-gonic/gin"
type In struct {{
{lines}
}}
func main() {{
    gin.Default().POST("/in", func(c *gin.Context) {{
        var in In
        if err := c.ShouldBindJSON(&in); err != nil {{ c.Status(400); return }}
        c.JSON(200, in)
    }})
}}
"""


@pytest.fixture(scope="module")
def said(tmp_path_factory: Any) -> Any:
    """What Mappu says of each type and tag."""
    pairs = list(dict.fromkeys((type_, tag) for type_, tag, _ in triples()))
    root = tmp_path_factory.mktemp("tags")
    (root / "go.mod").write_text("module svc\n")
    (root / "main.go").write_text(_service(pairs))
    found = endpoint(mappu.survey(root), "POST /in")
    inner = {f.path: f for f in found.fields}
    return {
        pair: (field(found, f"f{i}"), inner.get(f"f{i}[]") or inner.get(f"f{i}{{}}")) for i, pair in enumerate(pairs)
    }


def refuses(found: Field, value: Any, omits: bool = False) -> bool:
    """Whether the constraints of a field refuse a value; nothing at all is what makes a field required."""
    if value is None or (omits and not value and not isinstance(value, bool)):
        return found.required
    return any(_breaks(c, value) for c in found.constraints if c.status == "runs")


def _breaks(limit: Constraint, value: Any) -> bool:
    size = len(value) if isinstance(value, str | list | dict) else None
    bound: Any = limit.value
    if limit.kind == "pattern":
        return isinstance(value, str) and re.search(str(bound), value) is None
    tests: dict[str, Any] = {
        "minimum": lambda: value < bound, "maximum": lambda: value > bound, "exclusiveMinimum": lambda: value <= bound,
        "exclusiveMaximum": lambda: value >= bound, "minLength": lambda: size < bound, "maxLength": lambda: size > bound,
        "minItems": lambda: size < bound, "maxItems": lambda: size > bound, "minProperties": lambda: size < bound,
        "maxProperties": lambda: size > bound, "enum": lambda: value not in bound, "const": lambda: value != bound,
        "uniqueItems": lambda: len(set(value)) != size, "required": lambda: not value,
    }  # fmt: skip
    return bool(tests[limit.kind]())


OUTCOMES = (
    dict(zip([json.dumps(t) for t in triples()], json.loads(RECORDED.read_text()), strict=False))
    if RECORDED.exists()
    else {}
)


@pytest.mark.parametrize(("type_", "tag", "values"), TABLE, ids=[f"{t} {g}" for t, g, _ in TABLE])
def test_the_same_values_are_refused(type_: str, tag: str, values: list[Any], said: Any) -> None:
    found, inner = said[type_, tag]
    for value in values:
        refused = OUTCOMES[json.dumps((type_, tag, value))]
        parts = list(value.values()) if isinstance(value, dict) else value if isinstance(value, list) else []
        omits = "omitempty" in tag.partition("dive")[0] and not type_.startswith("*")
        own = refuses(found, value, omits)
        # What a pointer points to may be empty and is looked at all the same.
        own = own if not (type_.startswith("*") and value is not None and "required" in tag) else False
        inside = inner is not None and any(refuses(inner, p, "omitempty" in tag.partition("dive")[2]) for p in parts)
        assert (own or inside) == refused, (value, refused, found.constraints)


@pytest.mark.parametrize(("tag", "format_", "good", "bad"), FORMATS, ids=[f[0] for f in FORMATS])
def test_formats_by_their_names(tag: str, format_: str, good: list[str], bad: list[str], said: Any) -> None:
    found, _ = said["string", tag]
    assert [(c.kind, c.value, c.status) for c in found.constraints] == [("format", format_, "runs")]
    for value in good:
        assert not OUTCOMES[json.dumps(("string", tag, value))]
    for value in bad:
        assert OUTCOMES[json.dumps(("string", tag, value))]
    # Left out it is the empty text, which is none of these either.
    assert found.required
