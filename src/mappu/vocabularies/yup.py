"""yup: schemas as chains whose check throws."""

from mappu.vocabularies.base_chains import Chains, Library

_library = Library(
    packages=frozenset({"yup", "yup.yup", "yup.Yup"}),
    makers={"string": "string", "number": "number", "boolean": "boolean", "bool": "boolean", "date": "string", "mixed": "any"},
    limits={
        "min": {"string": "minLength", "number": "minimum", "integer": "minimum", "array": "minItems"},
        "max": {"string": "maxLength", "number": "maximum", "integer": "maximum", "array": "maxItems"},
        "length": {"string": "length", "array": "size"},
        "moreThan": {"": "exclusiveMinimum"}, "lessThan": {"": "exclusiveMaximum"},
        "positive": {"": ("exclusiveMinimum", 0)}, "negative": {"": ("exclusiveMaximum", 0)},
        "integer": {"": ("type", "integer")}, "matches": {"": "pattern"},
    },
    formats={"email": "email", "url": "uri", "uuid": "uuid", "datetime": "date-time"},
    patterns={},
    structure={
        "object": "object", "array": "array", "tuple": "tuple", "ref": "nothing", "lazy": "inner", "shape": "extend",
        "of": "items", "oneOf": "one-of", "equals": "one-of", "required": "required", "defined": "required",
        "notRequired": "optional", "optional": "optional", "nullable": "nullable", "nullish": "nullish", "default": "default",
        "concat": "both", "pick": "pick", "omit": "omit", "partial": "partial", "deepPartial": "partial", "noUnknown": "strict",
        "exact": "strict",
    },
    optional=True,
    extra="ignore",
    runs={"validate": {}, "validateSync": {}, "isValid": {"": "passed"}, "isValidSync": {"": "passed"}},
    error="yup.ValidationError",
    custom=frozenset({"test", "when", "notOneOf"}),
)  # fmt: skip

vocabulary = Chains("yup", (b"yup", b"Yup"), _library)
