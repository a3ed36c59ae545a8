"""JavaScript's own words for the flow engine: what its built-in calls, methods and errors mean."""

from mappu.flow.values import SinkKind
from mappu.flow.words import Errors, Language

_PARENTS = {
    "TypeError": "Error", "RangeError": "Error", "SyntaxError": "Error", "ReferenceError": "Error", "URIError": "Error",
    "EvalError": "Error", "Error": "",
}  # fmt: skip

_FILES = ("readFile", "readFileSync", "writeFile", "writeFileSync", "createReadStream", "createWriteStream", "unlink",
          "unlinkSync", "rm", "rmSync", "appendFile", "appendFileSync", "mkdir", "mkdirSync", "rmdir", "readdir", "readdirSync",
          "stat", "existsSync", "copyFile", "rename")  # fmt: skip
_COMMANDS = ("exec", "execSync", "spawn", "spawnSync", "execFile", "execFileSync", "fork")
_SINKS: dict[str, SinkKind] = {
    **{f"{p}fs{m}.{f}": "file path" for p in ("", "node:") for m in ("", "/promises", ".promises") for f in _FILES},
    **{f"fs-extra.{f}": "file path" for f in _FILES},
    **{f"{p}child_process.{f}": "command" for p in ("", "node:") for f in _COMMANDS},
    "eval": "command", "Function": "command", "vm.runInNewContext": "command", "vm.runInThisContext": "command",
}  # fmt: skip

language = Language(
    sizes=frozenset(),
    keeps=frozenset({"trim", "trimStart", "trimEnd", "toLowerCase", "toUpperCase", "toString", "normalize", "valueOf",
                     "toLocaleLowerCase", "toLocaleUpperCase", "replace", "replaceAll"}),
    keeps_call=frozenset({"String", "JSON.parse", "structuredClone", "Array.from", "decodeURIComponent",
                          "Object.fromEntries", "URL", "URLSearchParams", "Object.freeze", "lodash.cloneDeep", "lodash.trim"}),
    converts={},
    tests={},
    matchers={"test": "none", "exec": "none", "match": "none", "search": "none"},
    types={"string": "string", "number": "number", "boolean": "boolean", "object": "object", "Array": "array",
           "bigint": "integer"},
    errors=Errors(_PARENTS, {}, "Error"),
    assertion="AssertionError",
    collections=frozenset({"Map", "Set", "Array", "WeakMap", "URLSearchParams", "Headers", "FormData", "console"}),
    pure=frozenset({"stringify", "keys", "values", "entries", "isArray", "isInteger", "isNaN", "isFinite", "parseInt",
                    "parseFloat",
                    "Number", "String", "Boolean", "log", "max", "min", "round", "floor", "ceil", "abs", "join", "slice",
                    "split", "concat", "substring", "substr", "replace", "replaceAll", "padStart", "indexOf", "now", "getTime",
                    "toISOString", "map", "filter", "parse", "resolve", "all", "toFixed", "charAt", "Date", "URL", "RegExp"}),
    formats=frozenset({"join", "concat", "replace", "replaceAll", "padStart", "padEnd"}),
    notices=frozenset({"debug", "info", "warn", "error", "log", "trace", "fatal", "verbose"}),
    callers={},
    sinks=_SINKS,
    missing_key="",
    no_value="TypeError",
    size_members=frozenset({"length", "size"}),
    adders=frozenset({"push", "unshift", "add", "set", "splice"}),
    contains=frozenset({"includes", "has"}),
    positions=frozenset({"indexOf", "lastIndexOf"}),
    dates=frozenset({"Date"}),
    mergers=frozenset({"Object.assign", "lodash.merge", "lodash.assign", "lodash.extend"}),
    keys_of=frozenset({"Object.keys", "Object.values", "Object.entries"}),
    text_tests={"startsWith": "^{}", "endsWith": "{}$"},
    type_tests={"Array.isArray": "array", "Number.isInteger": "integer", "Number.isSafeInteger": "integer",
                "Number.isFinite": "number", "lodash.isString": "string", "lodash.isNumber": "number",
                "lodash.isArray": "array", "lodash.isBoolean": "boolean", "lodash.isPlainObject": "object"},
    type_faults={"isNaN": "number", "Number.isNaN": "number"},
    pattern_makers=frozenset({"RegExp"}),
    each=frozenset({"forEach", "map", "filter", "find", "findIndex", "some", "every", "reduce", "flatMap", "sort", "findLast"}),
    any_of=frozenset({"some"}),
    all_of=frozenset({"every"}),
    then=frozenset({"then", "finally"}),
    catch=frozenset({"catch"}),
    lax_numbers=frozenset({"Number", "parseInt", "parseFloat", "Number.parseInt", "Number.parseFloat"}),
    null_is_absent=False,
    takes_objects=True,
    missing_as="undefined",
    writers=frozenset({"writeFile", "writeFileSync", "appendFile", "appendFileSync"}),
    falsy='0, "" and false',
)  # fmt: skip
