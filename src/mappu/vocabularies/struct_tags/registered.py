"""What a service tells its validators at start: words of its own, another tag to read, rules for whole structs."""

import re
from collections.abc import Iterator
from typing import cast
from weakref import WeakKeyDictionary

import msgspec

from mappu.symbols.go import GoNames
from mappu.symbols.program import Program, Scope
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk
from mappu.vocabularies.shape import Reader

VALIDATOR = "github.com/go-playground/validator"
GIN_ENGINE = "github.com/gin-gonic/gin/binding.Validator"
# The key of the rules that each validator runs: gin has one of its own.
OWN, GIN = "validate", "binding"


class Registered(msgspec.Struct):
    """Words short for others, words with functions, the tag that each key of rules is read from, and the functions that look at
    whole structs, by the struct's full name: what they report of, and the key of the validator that calls them."""

    aliases: dict[str, str] = {}
    functions: dict[str, str] = {}
    tags: dict[str, str] = msgspec.field(default_factory=lambda: {OWN: OWN, GIN: GIN})
    structs: dict[str, list[tuple[str, frozenset[str], str]]] = {}


_KNOWN: WeakKeyDictionary[Program, dict[str, Registered]] = WeakKeyDictionary()


def registered(reader: Reader, path: str) -> Registered:
    """What the module of a file registers; worked out once a scan."""
    program, finder = reader.program, cast(GoNames, reader.program.finder)
    known = _KNOWN.setdefault(program, {})
    files = finder.registering(path)
    key = files[0] if files else ""
    if key not in known:
        known[key] = _read(program, files)
    return known[key]


def _read(program: Program, files: list[str]) -> Registered:
    found = Registered()
    for call, scope in _calls(program, files):
        assert isinstance(call.func, n.Member)
        name, args = call.func.name, call.positional
        if name == "SetTagName" and args:
            tag = program.text(args[0], scope)
            if tag is not None:
                found.tags[GIN if _is_gins(program, call.func.value, scope) else OWN] = tag
        elif name == "RegisterAlias" and len(args) == 2:
            word, meaning = program.text(args[0], scope), program.text(args[1], scope)
            if word is not None and meaning is not None:
                found.aliases[word] = meaning
        elif name in ("RegisterValidation", "RegisterValidationCtx") and len(args) >= 2:
            word = program.text(args[0], scope)
            if word is not None:
                found.functions[word] = (dotted(args[1]) or word).rpartition(".")[2]
        elif name in ("RegisterStructValidation", "RegisterStructValidationCtx") and len(args) >= 2:
            _of_structs(program, found, args, scope, GIN if _is_gins(program, call.func.value, scope) else OWN)
    return found


def _calls(program: Program, files: list[str]) -> Iterator[tuple[n.Call, Scope]]:
    for path in files:
        top = program.module_scope(path)
        if top is None:
            continue
        for call, scope in program.calls(top, top.module.body):
            if isinstance(call.func, n.Member) and call.func.name in _NAMES:
                yield call, scope


_NAMES = frozenset({"SetTagName", "RegisterAlias", "RegisterValidation", "RegisterValidationCtx", "RegisterStructValidation",
                    "RegisterStructValidationCtx"})  # fmt: skip


def _is_gins(program: Program, expr: n.Expr, scope: Scope) -> bool:
    """True for the validator that gin brings: `binding.Validator.Engine().(*validator.Validate)`."""
    followed = program.resolve(expr, scope)
    node = followed.node if followed is not None else None
    value = node.value if isinstance(node, n.Variable | n.Assign) else expr
    return value is not None and any(
        isinstance(x, n.Member) and program.name_of(x, scope) == GIN_ENGINE for x in walk(value)
    )


def _of_structs(program: Program, found: Registered, args: tuple[n.Expr, ...], scope: Scope, key: str) -> None:
    target = program.resolve(args[0], scope)
    if target is None or not isinstance(target.node, n.Function) or target.scope is None:
        return
    source, span = target.scope.module.source, target.node.span
    text = source[span.start : span.end].decode("utf-8", "replace")
    # Only the fields that it reports are refused by it.
    fields = frozenset(re.findall(r'ReportError\([^"]*"[^"]*",\s*"([^"]*)"', text))
    for given in args[1:]:
        made = given.value if isinstance(given, n.Unary) else given
        name = program.name_of(made.func, scope) if isinstance(made, n.Call) else None
        if name is not None:
            found.structs.setdefault(name, []).append((target.node.name, fields, key))
