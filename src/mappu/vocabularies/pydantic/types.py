"""The types pydantic knows, and what each by itself lets through. Checked against pydantic 2.14."""

from mappu.inventory.model import ConstraintKind, FieldType

# name -> (type, format or None, further limits). A format leaves no room for a value of another form.
_Row = tuple[FieldType, str | None, dict[ConstraintKind, object]]

_PLAIN: dict[str, _Row] = {
    "str": ("string", None, {}), "int": ("integer", None, {}), "float": ("number", None, {}),
    "bool": ("boolean", None, {}), "bytes": ("string", None, {}), "complex": ("any", None, {}),
    "decimal.Decimal": ("number", None, {}), "numbers.Number": ("number", None, {}),
    "datetime.datetime": ("string", "date-time", {}), "datetime.date": ("string", "date", {}),
    "datetime.time": ("string", "time", {}), "datetime.timedelta": ("string", "duration", {}),
    "uuid.UUID": ("string", "uuid", {}), "pathlib.Path": ("string", None, {}), "pathlib.PurePath": ("string", None, {}),
    "pathlib.PurePosixPath": ("string", None, {}), "re.Pattern": ("string", "regex", {}),
    "ipaddress.IPv4Address": ("string", "ipv4", {}), "ipaddress.IPv6Address": ("string", "ipv6", {}),
    "ipaddress.IPv4Network": ("string", "ipv4network", {}), "ipaddress.IPv6Network": ("string", "ipv6network", {}),
    "typing.Text": ("string", None, {}),
}  # fmt: skip

_PYDANTIC: dict[str, _Row] = {
    "EmailStr": ("string", "email", {}), "NameEmail": ("string", "name-email", {}),
    "AnyUrl": ("string", "uri", {}), "AnyHttpUrl": ("string", "uri", {}),
    "HttpUrl": ("string", "uri", {"maxLength": 2083}), "AnyWebsocketUrl": ("string", "uri", {}),
    "WebsocketUrl": ("string", "uri", {"maxLength": 2083}), "FileUrl": ("string", "uri", {}),
    "FtpUrl": ("string", "uri", {}), "PostgresDsn": ("string", "uri", {}), "RedisDsn": ("string", "uri", {}),
    "MongoDsn": ("string", "uri", {}), "AmqpDsn": ("string", "uri", {}), "MySQLDsn": ("string", "uri", {}),
    "MariaDBDsn": ("string", "uri", {}), "KafkaDsn": ("string", "uri", {}), "NatsDsn": ("string", "uri", {}),
    "CockroachDsn": ("string", "uri", {}), "ClickHouseDsn": ("string", "uri", {}), "SnowflakeDsn": ("string", "uri", {}),
    "SecretStr": ("string", None, {}), "SecretBytes": ("string", None, {}),
    "StrictStr": ("string", None, {}), "StrictInt": ("integer", None, {}), "StrictFloat": ("number", None, {}),
    "StrictBool": ("boolean", None, {}), "StrictBytes": ("string", None, {}),
    "PositiveInt": ("integer", None, {"exclusiveMinimum": 0}), "NegativeInt": ("integer", None, {"exclusiveMaximum": 0}),
    "NonNegativeInt": ("integer", None, {"minimum": 0}), "NonPositiveInt": ("integer", None, {"maximum": 0}),
    "PositiveFloat": ("number", None, {"exclusiveMinimum": 0}),
    "NegativeFloat": ("number", None, {"exclusiveMaximum": 0}),
    "NonNegativeFloat": ("number", None, {"minimum": 0}), "NonPositiveFloat": ("number", None, {"maximum": 0}),
    "FiniteFloat": ("number", None, {}), "PastDate": ("string", "date", {"past": None}),
    "FutureDate": ("string", "date", {"future": None}), "PastDatetime": ("string", "date-time", {"past": None}),
    "FutureDatetime": ("string", "date-time", {"future": None}), "AwareDatetime": ("string", "date-time", {}),
    "NaiveDatetime": ("string", "date-time", {}), "UUID1": ("string", "uuid", {}), "UUID3": ("string", "uuid", {}),
    "UUID4": ("string", "uuid", {}), "UUID5": ("string", "uuid", {}), "UUID6": ("string", "uuid", {}),
    "UUID7": ("string", "uuid", {}), "UUID8": ("string", "uuid", {}),
    "FilePath": ("string", None, {"custom": "FilePath"}), "DirectoryPath": ("string", None, {"custom": "DirectoryPath"}),
    "NewPath": ("string", None, {"custom": "NewPath"}), "Base64Str": ("string", "base64", {}),
    "Base64Bytes": ("string", "base64", {}), "Base64UrlStr": ("string", "base64url", {}),
    "Base64UrlBytes": ("string", "base64url", {}), "ByteSize": ("integer", None, {"minimum": 0}),
    "IPvAnyAddress": ("string", "ipvanyaddress", {}), "IPvAnyInterface": ("string", "ipvanyinterface", {}),
    "IPvAnyNetwork": ("string", "ipvanynetwork", {}), "Json": ("string", "json-string", {}),
    "JsonValue": ("any", None, {}), "ImportString": ("string", "import-string", {}),
    "PaymentCardNumber": ("string", None, {"custom": "PaymentCardNumber", "minLength": 12, "maxLength": 19}),
}  # fmt: skip

_UPLOADS = ("fastapi.UploadFile", "fastapi.datastructures.UploadFile", "starlette.datastructures.UploadFile")

TYPES: dict[str, _Row] = {
    **_PLAIN,
    **{f"{p}.{name}": row for p in ("pydantic", "pydantic.networks", "pydantic.types", "pydantic.v1")
       for name, row in _PYDANTIC.items()},
    **{name: ("file", None, {}) for name in _UPLOADS},
}  # fmt: skip

ANYTHING = frozenset({"typing.Any", "typing_extensions.Any", "object", "typing.Hashable", "typing.AnyStr"})

NEEDS: dict[str, str] = {
    f"{p}.{t}": "email-validator" for p in ("pydantic", "pydantic.networks") for t in ("EmailStr", "NameEmail")
}

_TYPING = ("typing.", "typing_extensions.", "collections.abc.", "collections.", "")


def _spelled(*names: str) -> frozenset[str]:
    return frozenset(p + name for p in _TYPING for name in names)


LISTS = _spelled("list", "List", "Sequence", "MutableSequence", "Iterable", "Collection", "deque", "Deque", "tuple",
                 "Tuple", "Generator", "AsyncIterable")  # fmt: skip
SETS = _spelled("set", "Set", "frozenset", "FrozenSet", "MutableSet", "AbstractSet")
TUPLES = _spelled("tuple", "Tuple")
MAPS = _spelled("dict", "Dict", "Mapping", "MutableMapping", "OrderedDict", "DefaultDict", "defaultdict", "Counter")
UNIONS = _spelled("Union", "Optional")
ANNOTATED = _spelled("Annotated")
LITERALS = _spelled("Literal")
WRAPPERS = _spelled("Required", "NotRequired", "ReadOnly", "Final", "Unpack")
PRIVATE = _spelled("ClassVar", "InitVar")

# Constrained-type functions: name -> (type, whether the first argument is the element's type).
_CONSTRAINED: dict[str, tuple[FieldType, bool]] = {
    "constr": ("string", False), "conint": ("integer", False), "confloat": ("number", False),
    "condecimal": ("number", False), "conbytes": ("string", False), "condate": ("string", False),
    "conlist": ("array", True), "conset": ("array", True), "confrozenset": ("array", True),
}  # fmt: skip
CONSTRAINED = {
    f"{p}.{name}": row for p in ("pydantic", "pydantic.types", "pydantic.v1") for name, row in _CONSTRAINED.items()
}

# Keyword of Field(), con…(), StringConstraints() and annotated-types -> what it limits.
NUMBER_LIMITS: dict[str, ConstraintKind] = {
    "gt": "exclusiveMinimum", "ge": "minimum", "lt": "exclusiveMaximum", "le": "maximum", "multiple_of": "multipleOf",
}  # fmt: skip
SIZE_LIMITS = {"min_length": "min", "max_length": "max", "min_items": "min", "max_items": "max"}
DIGIT_LIMITS = ("max_digits", "decimal_places")
SIZE_KINDS: dict[tuple[str, str], ConstraintKind] = {
    ("min", "array"): "minItems", ("max", "array"): "maxItems", ("min", "object"): "minProperties",
    ("max", "object"): "maxProperties",
}  # fmt: skip

# Keywords of Field() and of the framework's parameter functions that state no limit.
FIELD_WORDS = frozenset({
    "default", "default_factory", "alias", "alias_priority", "validation_alias", "serialization_alias", "title",
    "field_title_generator", "description", "examples", "example", "exclude", "exclude_if", "discriminator", "deprecated",
    "json_schema_extra", "frozen", "validate_default", "repr", "init", "init_var", "kw_only", "strict", "coerce_numbers_to_str",
    "allow_inf_nan", "union_mode", "fail_fast", "annotation", "embed", "media_type", "include_in_schema",
    "convert_underscores", "openapi_examples", "regex", "pattern", "strip_whitespace", "to_lower", "to_upper",
    "primary_key", "foreign_key", "ondelete", "unique", "nullable", "index", "sa_type", "sa_column", "sa_column_args",
    "sa_column_kwargs", "schema_extra", "const", "unique_items", "include", "allow_mutation", "env", "curtail_length",
    "item_type", "inner_type", "asdict",
    *NUMBER_LIMITS, *SIZE_LIMITS, *DIGIT_LIMITS,
})  # fmt: skip

# Config keys that version 2 renamed: the old word is only warned of, and does nothing.
RENAMED_CONFIG = {
    "anystr_strip_whitespace": "str_strip_whitespace", "anystr_lower": "str_to_lower", "anystr_upper": "str_to_upper",
    "min_anystr_length": "str_min_length", "max_anystr_length": "str_max_length", "validate_all": "validate_default",
    "allow_population_by_field_name": "populate_by_name",
}  # fmt: skip
