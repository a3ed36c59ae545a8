"""Python's own words for the flow engine: what its built-in calls, methods and errors mean."""

from mappu.flow.words import Errors, Language

_MATCHERS = {
    "re.match": "start", "re.search": "none", "re.fullmatch": "full",
    "match": "start", "search": "none", "fullmatch": "full",
}  # fmt: skip

_PARENTS = {
    "ValueError": "Exception", "TypeError": "Exception", "LookupError": "Exception", "KeyError": "LookupError",
    "IndexError": "LookupError", "ArithmeticError": "Exception", "ZeroDivisionError": "ArithmeticError",
    "OverflowError": "ArithmeticError", "AttributeError": "Exception", "AssertionError": "Exception",
    "RuntimeError": "Exception", "NotImplementedError": "RuntimeError", "OSError": "Exception",
    "FileNotFoundError": "OSError", "PermissionError": "OSError", "UnicodeError": "ValueError",
    "UnicodeDecodeError": "UnicodeError", "json.JSONDecodeError": "ValueError", "json.decoder.JSONDecodeError": "ValueError",
    "decimal.InvalidOperation": "ArithmeticError", "StopIteration": "Exception", "Exception": "BaseException",
    "BaseException": "",
}  # fmt: skip

language = Language(
    sizes=frozenset({"len"}),
    keeps=frozenset({"strip", "lstrip", "rstrip", "lower", "upper", "title", "casefold", "copy", "encode", "decode"}),
    keeps_call=frozenset({"str", "dict", "list", "tuple", "sorted", "set", "json.loads", "orjson.loads", "copy.copy",
                          "copy.deepcopy", "typing.cast", "cast", "reversed", "enumerate", "abs"}),
    converts={
        "int": ("integer", "ValueError"), "float": ("number", "ValueError"), "uuid.UUID": ("string", "ValueError"),
        "decimal.Decimal": ("number", "decimal.InvalidOperation"),
        "datetime.datetime.fromisoformat": ("string", "ValueError"),
        "datetime.date.fromisoformat": ("string", "ValueError"),
    },
    tests={"isdigit": r"^\d+$", "isdecimal": r"^\d+$", "isnumeric": r"^\d+$", "isalpha": "^[A-Za-z]+$",
           "isalnum": "^[A-Za-z0-9]+$"},
    matchers=_MATCHERS,
    types={"str": "string", "int": "integer", "float": "number", "bool": "boolean", "list": "array", "tuple": "array",
           "dict": "object"},
    errors=Errors(_PARENTS, {}, "Exception"),
    collections=frozenset({"list", "dict", "set", "collections.defaultdict", "collections.OrderedDict",
                           "collections.deque"}),
    pure=frozenset({"len", "print", "repr", "str", "isinstance", "type", "id", "sum", "min", "max", "any", "all", "zip",
                    "range", "enumerate", "sorted", "json.dumps", "hash", "bool", "getattr", "hasattr"}),
    formats=frozenset({"format", "join", "format_map"}),
    notices=frozenset({"debug", "info", "warning", "warn", "error", "critical", "exception", "print", "log"}),
    callers={"anyio.to_thread.run_sync": 0, "asyncio.to_thread": 0, "run_in_threadpool": 0, "run_in_executor": 1,
             "starlette.concurrency.run_in_threadpool": 0, "fastapi.concurrency.run_in_threadpool": 0},
    assertion="AssertionError",
    sinks={
        "open": "file path", "pathlib.Path": "file path", "os.path.join": "file path", "os.remove": "file path",
        "os.unlink": "file path", "shutil.rmtree": "file path", "fastapi.responses.FileResponse": "file path",
        "starlette.responses.FileResponse": "file path", "os.system": "command", "os.popen": "command",
        "subprocess.run": "command", "subprocess.Popen": "command", "subprocess.call": "command",
        "subprocess.check_output": "command", "subprocess.check_call": "command", "eval": "command", "exec": "command",
        "asyncio.create_subprocess_shell": "command", "asyncio.create_subprocess_exec": "command",
        "sqlalchemy.text": "query text", "sqlalchemy.sql.text": "query text", "sqlmodel.text": "query text",
        "jinja2.Template": "template", "string.Template": "template",
    },
    missing_key="KeyError",
    text_tests={"startswith": "^{}", "endswith": "{}$"},
)  # fmt: skip
