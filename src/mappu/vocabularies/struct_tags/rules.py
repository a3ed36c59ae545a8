"""The rules in a struct tag: a list of words, each with what it says of a value of the type it stands on."""

import re
from collections.abc import Callable, Mapping

import msgspec

from mappu.inventory.model import ConstraintKind, Place
from mappu.vocabularies.shape import Note, Rule, Shape, refuses_zero

Found = tuple[ConstraintKind, object]

# What a size rule limits, by the type it stands on.
_SIZES: Mapping[str, tuple[ConstraintKind, ConstraintKind]] = {
    "string": ("minLength", "maxLength"), "array": ("minItems", "maxItems"), "object": ("minProperties", "maxProperties"),
}  # fmt: skip
_NUMBERS = ("integer", "number")
_FORMATS: Mapping[str, str] = {
    "email": "email", "url": "uri", "uri": "uri", "http_url": "uri", "https_url": "uri", "urn_rfc2141": "urn", "uuid": "uuid",
    "uuid3": "uuid", "uuid4": "uuid", "uuid5": "uuid", "uuid_rfc4122": "uuid", "uuid3_rfc4122": "uuid", "uuid4_rfc4122": "uuid",
    "uuid5_rfc4122": "uuid", "ulid": "ulid", "ip": "ip", "ipv4": "ipv4", "ipv6": "ipv6", "ip_addr": "ip", "ip4_addr": "ipv4",
    "ip6_addr": "ipv6", "cidr": "cidr", "cidrv4": "cidrv4", "cidrv6": "cidrv6", "mac": "mac", "hostname": "hostname",
    "hostname_rfc1123": "hostname", "fqdn": "hostname", "hostname_port": "hostname-port", "json": "json", "jwt": "jwt",
    "base64": "base64", "base64url": "base64url", "base64rawurl": "base64url", "datauri": "data-uri", "e164": "e164",
    "hexcolor": "hexcolor", "rgb": "rgb", "rgba": "rgba", "hsl": "hsl", "hsla": "hsla", "iscolor": "color", "isbn": "isbn",
    "isbn10": "isbn10", "isbn13": "isbn13", "issn": "issn", "credit_card": "credit-card", "ssn": "ssn", "latitude": "latitude",
    "longitude": "longitude", "semver": "semver", "cron": "cron", "timezone": "timezone", "mongodb": "mongodb-id", "md5": "md5",
    "sha256": "sha256", "html": "html", "bic": "bic", "luhn_checksum": "luhn", "iso3166_1_alpha2": "iso3166-1-alpha2",
    "iso3166_1_alpha3": "iso3166-1-alpha3", "iso3166_1_alpha_numeric": "iso3166-1-numeric", "iso3166_2": "iso3166-2",
    "country_code": "country-code", "iso4217": "iso4217", "bcp47_language_tag": "bcp47", "dns_rfc1035_label": "dns-label",
    "postcode_iso3166_alpha2": "postcode", "spicedb": "spicedb", "tcp_addr": "tcp-address", "udp_addr": "udp-address",
    "unix_addr": "unix-address", "file": "file-path", "filepath": "file-path", "dir": "folder-path", "dirpath": "folder-path",
    "port": "port", "eth_addr": "eth-address", "btc_addr": "btc-address", "cve": "cve", "image": "image-path",
}  # fmt: skip
_PATTERNS: Mapping[str, str] = {
    "alpha": "^[a-zA-Z]+$", "alphanum": "^[a-zA-Z0-9]+$", "alphaunicode": r"^\p{L}+$", "alphanumunicode": r"^[\p{L}\p{N}]+$",
    "numeric": r"^[-+]?[0-9]+(?:\.[0-9]+)?$", "number": "^[0-9]+$", "hexadecimal": "^(0[xX])?[0-9a-fA-F]+$",
    "lowercase": "^[^A-Z]+$", "uppercase": "^[^a-z]+$", "ascii": r"^[\x00-\x7F]*$", "printascii": r"^[\x20-\x7E]*$",
    "multibyte": r"[^\x00-\x7F]", "boolean": "^(1|t|T|TRUE|true|True|0|f|F|FALSE|false|False)$",
    "alphaspace": "^[a-zA-Z ]+$", "alphanumspace": "^[a-zA-Z0-9 ]+$",
}  # fmt: skip
_TEXTS: Mapping[str, str] = {
    "contains": "{}", "startswith": "^{}", "endswith": "{}$", "containsrune": "{}", "startsnotwith": "^(?!{})",
    "endsnotwith": "(?<!{})$", "excludes": "^(?!.*{})", "excludesrune": "^(?!.*{})",
}  # fmt: skip
_FIELDS: Mapping[str, ConstraintKind] = {"eqfield": "equalsField", "eqcsfield": "equalsField", "nefield": "differsFrom",
                                         "necsfield": "differsFrom"}  # fmt: skip
_TOGETHER: Mapping[str, ConstraintKind] = {
    "required_with": "requiredWith", "required_with_all": "requiredWith", "required_without": "requiredWithout",
    "required_without_all": "requiredWithout", "required_if": "requiredIf", "required_unless": "requiredIf",
    "required_if_contains": "requiredIf",
}  # fmt: skip
# Words that steer those behind them and are no rules themselves.
_STEERING = frozenset(
    {"omitempty", "omitnil", "omitzero", "dive", "keys", "endkeys", "structonly", "nostructlevel", "-"}
)
_WITHOUT_ONE = frozenset({"isdefault", "excluded_with", "excluded_without", "excluded_if", "excluded_unless",
                          "excluded_with_all", "excluded_without_all"})  # fmt: skip
NOT_ENTERED = "nothing goes into `{}`: it takes `dive` on it for the rules of its elements to run"
ZERO_STRUCT = "`required` does nothing on a struct that is no pointer: there is always one"
OMITTED = "`omitempty` in front of it lets the zero value past, which is all that `required` refuses"
# Registered words, with what each stands for.
Registered = Mapping[str, str]


class Words(msgspec.Struct):
    """The words of a tag as they stand on a value, on the keys of a map and on its elements. `entered` where it has a `dive`."""

    own: list[str] = []
    keys: list[str] = []
    inside: "Words | None" = None
    entered: bool = False


def parse(text: str, aliases: Registered) -> Words:
    """The words of a tag, those that are short for others written out."""
    found: list[str] = []
    for word in text.split(","):
        found.extend(aliases[word].split(",") if word in aliases else [word])
    return _words([w for w in found if w])


def _words(words: list[str]) -> Words:
    if "dive" not in words:
        return Words(words)
    at = words.index("dive")
    rest, keys = words[at + 1 :], list[str]()
    if rest[:1] == ["keys"] and "endkeys" in rest:
        end = rest.index("endkeys")
        keys, rest = rest[1:end], rest[end + 1 :]
    return Words(words[:at], keys, _words(rest), True)


class Tagged:
    """One value that words stand on: what it is, and where."""

    def __init__(self, shape: Shape, go_type: str, pointer: bool, place: Place, key: str, custom: Registered) -> None:
        self.shape, self.go_type, self.pointer = shape, go_type, pointer
        self.place, self.key, self.custom = place, key, custom
        self.notes: list[Note] = []

    def rules(self, words: list[str]) -> list[Rule]:
        """What the words say, in the order they are asked."""
        found: list[Rule] = []
        skips_zero = False
        for word in words:
            if word in ("omitempty", "omitzero"):
                skips_zero = True
            skips_zero = skips_zero or (word == "omitnil" and self.pointer)
            if word.partition("=")[0] not in _STEERING:
                found.extend(self._of(word, skips_zero))
        self._clash(found)
        return found

    def _clash(self, rules: list[Rule]) -> None:
        """`required` refuses nought where a lower limit lets it through."""
        required = any(r.kind == "required" and r.skipped is None for r in rules)
        if required and not self.pointer and any(r.kind == "minimum" and r.value == 0 for r in rules):
            why = "`required` refuses 0 on a plain number, which the lower limit beside it lets through"
            self.notes.append(Note("contradiction", self.place, why, "make it a pointer, or leave `required` out"))

    def _of(self, word: str, skips_zero: bool) -> list[Rule]:
        name, _, given = word.partition("=")
        given = given.replace("0x2C", ",").replace("0x7C", "|")
        said = self._alternatives(word) if "|" in word else self._said(name, given)
        skipped = None
        if name == "required":
            if self.go_type == "struct" and not self.pointer:
                skipped = ZERO_STRUCT
                self.notes.append(
                    Note("no-effect", self.place, ZERO_STRUCT, "make it a pointer, or leave the word out")
                )
            elif skips_zero and not self.pointer:
                skipped = OMITTED
                self.notes.append(Note("no-effect", self.place, OMITTED, "leave one of the two out"))
        return [
            Rule(kind, value, self.place, key=self.key, skipped=skipped,
                 absent=skipped is None and not skips_zero and self._refuses_absent(name, kind, value))
            for kind, value in said
        ]  # fmt: skip

    def _refuses_absent(self, name: str, kind: ConstraintKind, value: object) -> bool:
        if kind in _TOGETHER.values() or name in _WITHOUT_ONE:
            return False
        # No pointer is nothing at all, which no rule lets through.
        return self.pointer or refuses_zero(kind, value)

    def _alternatives(self, word: str) -> list[Found]:
        """`a|b`: one of them has to hold."""
        patterns = [_PATTERNS.get(w) for w in word.split("|")]
        if all(p is not None for p in patterns):
            return [("pattern", "|".join(f"(?:{p})" for p in patterns))]
        return [("custom", word)]

    def _said(self, name: str, given: str) -> list[Found]:
        if name in self.custom:
            return [("custom", self.custom[name])]
        if name == "required":
            return [("required", True)]
        if self.shape.type in _NUMBERS and name in _PATTERNS:
            # Of a number it says nothing that the type does not.
            return [("custom", name)]
        for table, kind in ((_FORMATS, "format"), (_PATTERNS, "pattern")):
            if name in table:
                return [(kind, table[name])]  # type: ignore[list-item]
        if name in _TEXTS:
            return [("pattern", _TEXTS[name].format(re.escape(given).replace(r"\ ", " ")))]
        if name in _FIELDS:
            return [(_FIELDS[name], given)]
        if name in _TOGETHER:
            return [(_TOGETHER[name], _together(name, given))]
        limit = _LIMITS.get(name)
        found = limit(self, given) if limit is not None else None
        return found if found is not None else [("custom", f"{name}={given}" if given else name)]

    # --- words whose meaning hangs on the type ------------------------------------------------------------------------

    def number(self, given: str) -> int | float | None:
        try:
            return int(given, 0)
        except ValueError:
            pass
        try:
            return float(given)
        except ValueError:
            return None

    def least(self, given: str, more: bool = False) -> list[Found] | None:
        if self.go_type == "time.Time" and not given:
            return [("future", None)]
        limit = self.number(given)
        if limit is None:
            return None
        if self.shape.type in _NUMBERS:
            return [("exclusiveMinimum" if more else "minimum", limit)]
        kinds = _SIZES.get(self.shape.type)
        return [(kinds[0], int(limit) + (1 if more else 0))] if kinds is not None else None

    def most(self, given: str, less: bool = False) -> list[Found] | None:
        if self.go_type == "time.Time" and not given:
            return [("past", None)]
        limit = self.number(given)
        if limit is None:
            return None
        if self.shape.type in _NUMBERS:
            return [("exclusiveMaximum" if less else "maximum", limit)]
        kinds = _SIZES.get(self.shape.type)
        return [(kinds[1], int(limit) - (1 if less else 0))] if kinds is not None else None

    def exactly(self, given: str) -> list[Found] | None:
        limit = self.number(given)
        if limit is None:
            return None
        kinds = _SIZES.get(self.shape.type)
        return [(kinds[0], int(limit)), (kinds[1], int(limit))] if kinds is not None else [("const", limit)]

    def equal(self, given: str) -> list[Found] | None:
        if self.shape.type in ("array", "object"):
            return self.exactly(given)
        if self.shape.type == "boolean":
            return [("const", given == "true")]
        return [("const", self.number(given) if self.shape.type in _NUMBERS else given)]

    def one_of(self, given: str) -> list[Found]:
        listed: list[object] = [a or b for a, b in re.findall(r"'([^']*)'|(\S+)", given)]
        if self.shape.type in _NUMBERS:
            listed = [self.number(str(x)) for x in listed]
        return [("enum", listed)]

    def dated(self, given: str) -> list[Found]:
        words = {"2006-01-02": "date", "15:04:05": "time", "15:04": "time", "2006-01-02T15:04:05Z07:00": "date-time"}
        return [("format", words.get(given, f"date as {given}"))]

    def unique(self, given: str) -> list[Found]:
        return [("uniqueItems", True)] if not given else [("custom", f"unique={given}")]


def _together(name: str, given: str) -> object:
    named = given.split()
    if "if" in name or "unless" in name:
        return f"{name.removeprefix('required_')} {given}"
    return named


_LIMITS: Mapping[str, Callable[[Tagged, str], list[Found] | None]] = {
    "min": Tagged.least, "gte": Tagged.least, "max": Tagged.most, "lte": Tagged.most, "len": Tagged.exactly,
    "gt": lambda t, x: t.least(x, more=True), "lt": lambda t, x: t.most(x, less=True), "eq": Tagged.equal,
    "oneof": Tagged.one_of, "oneofci": Tagged.one_of, "datetime": Tagged.dated, "unique": Tagged.unique,
}  # fmt: skip
