"""joi: schemas as chains whose check gives back an error to be looked at."""

from mappu.vocabularies.base_chains import Chains, Library

_library = Library(
    packages=frozenset({"joi", "@hapi/joi", "celebrate.Joi", "joi.Joi", "nestjs-joi.JoiSchema"}),
    makers={"string": "string", "number": "number", "boolean": "boolean", "bool": "boolean", "date": "string", "any": "any",
            "binary": "string", "func": "any", "function": "any", "symbol": "any"},
    limits={
        "min": {"string": "minLength", "number": "minimum", "integer": "minimum", "array": "minItems", "object": "minProperties"},
        "max": {"string": "maxLength", "number": "maximum", "integer": "maximum", "array": "maxItems", "object": "maxProperties"},
        "length": {"string": "length", "array": "size"},
        "greater": {"number": "exclusiveMinimum", "integer": "exclusiveMinimum"},
        "less": {"number": "exclusiveMaximum", "integer": "exclusiveMaximum"},
        "positive": {"": ("exclusiveMinimum", 0)}, "negative": {"": ("exclusiveMaximum", 0)}, "multiple": {"": "multipleOf"},
        "integer": {"": ("type", "integer")}, "pattern": {"string": "pattern"}, "regex": {"string": "pattern"},
        "unique": {"array": ("uniqueItems", True)}, "precision": {"": "digits"},
    },
    formats={"email": "email", "uri": "uri", "guid": "uuid", "uuid": "uuid", "isoDate": "date-time", "iso": "date-time",
             "isoDuration": "duration", "ip": "ip", "hostname": "hostname", "domain": "hostname", "hex": "hex",
             "base64": "base64", "dataUri": "data-uri", "creditCard": "credit-card"},
    patterns={"alphanum": "^[a-zA-Z0-9]+$", "token": "^[a-zA-Z0-9_]+$"},
    structure={
        "{}": "object", "object": "object", "array": "array", "alternatives": "union", "alt": "union", "try": "or",
        "valid": "valid", "equal": "valid", "only": "valid", "allow": "allow", "required": "required", "exist": "required",
        "optional": "optional", "default": "default", "keys": "extend", "append": "extend", "concat": "both", "items": "items",
        "ordered": "items", "unknown": "open", "or": "at-least-one", "xor": "at-least-one", "failover": "caught",
        "lazy": "inner", "link": "nothing", "with": "with", "and": "together", "without": "apart", "nand": "apart",
        "when": "when",
    },
    optional=True,
    extra="forbid",
    runs={"validate": {"error": "failed", "value": "value"}, "validateAsync": {}},
    error="joi.ValidationError",
    custom=frozenset({"custom", "external", "invalid", "disallow", "not", "assert",
                      "forbidden", "pattern", "has"}),
)  # fmt: skip


class Joi(Chains):
    """The vocabulary."""

    def __init__(self) -> None:
        super().__init__("joi", (b"joi", b"Joi"), _library)
        same = ("@hapi/joi.ValidationError", "joi.Joi.ValidationError", "celebrate.Joi.ValidationError")
        self.error_aliases = dict.fromkeys(same, "joi.ValidationError")


vocabulary = Joi()
