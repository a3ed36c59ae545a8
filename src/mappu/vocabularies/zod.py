"""zod: schemas as chains, in versions 3 and 4."""

from mappu.vocabularies.base_chains import Chains, Library

_SIZES = {"string": "minLength", "array": "minItems"}

_library = Library(
    packages=frozenset({"zod", "zod.z", "zod/v3", "zod/v4", "zod/v3.z", "zod/v4.z", "zod/mini", "@hono/zod-openapi.z",
                        "zod-openapi.z", "@asteasolutions/zod-to-openapi.z", "nestjs-zod/z.z", "astro/zod.z"}),
    makers={"string": "string", "number": "number", "boolean": "boolean", "bigint": "integer", "date": "string", "any": "any",
            "unknown": "any", "int": "integer", "int32": "integer", "float32": "number", "float64": "number", "file": "file",
            "instanceof": "any", "stringbool": "boolean", "json": "any", "symbol": "any"},
    limits={
        "min": {"string": "minLength", "number": "minimum", "integer": "minimum", "array": "minItems"},
        "max": {"string": "maxLength", "number": "maximum", "integer": "maximum", "array": "maxItems"},
        "gte": {"": "minimum"}, "gt": {"": "exclusiveMinimum"}, "lte": {"": "maximum"}, "lt": {"": "exclusiveMaximum"},
        "length": {"string": "length", "array": "size"},
        "nonempty": {"string": ("minLength", 1), "array": ("minItems", 1)},
        "positive": {"": ("exclusiveMinimum", 0)}, "nonnegative": {"": ("minimum", 0)},
        "negative": {"": ("exclusiveMaximum", 0)}, "nonpositive": {"": ("maximum", 0)},
        "multipleOf": {"": "multipleOf"}, "step": {"": "multipleOf"}, "int": {"": ("type", "integer")},
        "regex": {"": "pattern"},
    },
    formats={"email": "email", "url": "uri", "httpUrl": "uri", "uuid": "uuid", "uuidv4": "uuid", "uuidv6": "uuid",
             "uuidv7": "uuid",
             "guid": "uuid", "cuid": "cuid", "cuid2": "cuid2", "ulid": "ulid", "nanoid": "nanoid", "xid": "xid", "ksuid": "ksuid",
             "datetime": "date-time", "date": "date", "time": "time", "duration": "duration", "ip": "ip", "ipv4": "ipv4",
             "ipv6": "ipv6", "cidr": "cidr", "cidrv4": "cidr", "cidrv6": "cidr", "base64": "base64", "base64url": "base64url",
             "jwt": "jwt", "emoji": "emoji", "e164": "e164", "hostname": "hostname", "hex": "hex"},
    patterns={"startsWith": "^{}", "endsWith": "{}$", "includes": "{}"},
    structure={
        "object": "object", "strictObject": "object", "looseObject": "object", "array": "array", "set": "array", "tuple": "tuple",
        "record": "record", "partialRecord": "record", "map": "record", "union": "union", "discriminatedUnion": "union",
        "xor": "union", "literal": "literal", "enum": "enum", "nativeEnum": "enum", "lazy": "inner", "preprocess": "inner",
        "optional": "optional", "nullable": "nullable", "nullish": "nullish", "intersection": "both", "null": "nothing",
        "undefined": "nothing", "void": "nothing", "never": "nothing", "custom": "custom", "default": "default",
        "prefault": "default", "catch": "caught", "extend": "extend", "safeExtend": "extend", "augment": "extend",
        "merge": "extend", "and": "both", "or": "or", "pick": "pick", "omit": "omit", "partial": "partial",
        "deepPartial": "partial", "required": "all-required", "strict": "strict", "passthrough": "open", "loose": "open",
        "catchall": "open", "strip": "strip", "pipe": "piped", "exactOptional": "optional",
    },
    optional=False,
    extra="ignore",
    runs={
        "parse": {}, "parseAsync": {},
        "safeParse": {"success": "passed", "error": "failed", "data": "value"},
        "safeParseAsync": {"success": "passed", "error": "failed", "data": "value"},
        "spa": {"success": "passed", "error": "failed", "data": "value"},
    },
    error="zod.ZodError",
    custom=frozenset({"refine", "superRefine", "check", "refineAsync"}),
)  # fmt: skip


class Zod(Chains):
    """The vocabulary."""

    def __init__(self) -> None:
        super().__init__("zod", (b"zod", b"z.object"), _library)
        self.error_aliases = dict.fromkeys(("zod.z.ZodError", "zod/v4.ZodError", "zod/v3.ZodError"), "zod.ZodError")


vocabulary = Zod()
