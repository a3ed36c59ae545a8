"""How JavaScript and TypeScript find a module: relative paths with endings left out, index files, the paths of a tsconfig, and
the packages of a workspace."""

import json
import posixpath
import re
from collections.abc import Container, Iterable, Iterator
from typing import Any

from mappu.sources.text import load
from mappu.sources.walk import Tree

_ENDINGS = (".ts", ".tsx", ".mts", ".cts", ".js", ".jsx", ".mjs", ".cjs")
_COMPILED = {".js": (".ts", ".tsx"), ".jsx": (".tsx",), ".mjs": (".mts",), ".cjs": (".cts",)}
_COMMENT = re.compile(r'("(?:\\.|[^"\\])*")|//[^\n]*|/\*.*?\*/', re.S)
_TRAILING = re.compile(r",(\s*[}\]])")
# What a program finds without importing it.
_GLOBALS = frozenset({
    "Array", "ArrayBuffer", "BigInt", "Boolean", "Buffer", "Date", "Error", "EvalError", "FormData", "Function", "Headers",
    "Infinity", "Intl", "JSON", "Map", "Math", "NaN", "Number", "Object", "Promise", "Proxy", "RangeError", "ReferenceError",
    "Reflect", "RegExp", "Request", "Response", "Set", "String", "Symbol", "SyntaxError", "TypeError", "URIError", "URL",
    "URLSearchParams", "WeakMap", "WeakSet", "console", "decodeURIComponent", "encodeURIComponent", "eval", "fetch", "isFinite",
    "isNaN", "parseFloat", "parseInt", "process", "setTimeout", "structuredClone", "undefined", "string", "number", "boolean",
    "any", "unknown", "void", "never", "object", "bigint", "Partial", "Required", "Readonly", "Record", "Pick", "Omit",
    "Exclude", "Extract", "NonNullable",
})  # fmt: skip


class JavaScriptNames:
    """Finds the files that imports lead to."""

    builtins = _GLOBALS
    receiver: str | None = "this"
    by_class = False
    sees_members = False
    models = re.compile(
        rb"^(?:export\s+)?(?:class\s+([A-Z]\w*)|const\s+([A-Za-z]\w*)\s*=\s*(?:z|Joi|joi|yup|Yup|Type)\.)", re.M
    )

    def __init__(self, tree: Tree) -> None:
        self._tree = tree
        self._paths: dict[str, list[tuple[re.Pattern[str], list[str]]]] = {}
        self._packages: dict[str, str] | None = None

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """The files that people wrote: compiled output beside its source is left out, and so are type declarations."""
        known = set(paths)

        def compiled(path: str) -> bool:
            base, ending = posixpath.splitext(path)
            return any(base + source in known for source in _COMPILED.get(ending, ())) or base.endswith((".d", ".min"))

        return [p for p in known if not compiled(p)]

    def module_name(self, files: Container[str], path: str) -> str:
        """The path without its ending."""
        base = posixpath.splitext(path)[0]
        return base.removesuffix("/index")

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return the file that importing `module` in `importer` brings, or None where it is outside."""
        folder = posixpath.dirname(importer)
        if module.startswith("."):
            found = posixpath.normpath(posixpath.join(folder, module))
            return _file(files, "" if found == "." else found) if not found.startswith("..") else None
        for place in (*self._mapped(folder, module), *self._workspace(module)):
            located = _file(files, place)
            if located is not None:
                return located
        return None

    # --- tsconfig -----------------------------------------------------------------------------------------------------

    def _mapped(self, folder: str, module: str) -> Iterator[str]:
        for pattern, targets in self._paths_for(folder):
            match = pattern.fullmatch(module)
            if match:
                for target in targets:
                    yield target.replace("*", match[1] if match.groups() else "", 1)

    def _paths_for(self, folder: str) -> list[tuple[re.Pattern[str], list[str]]]:
        if folder not in self._paths:
            config = next(
                (c for name in ("tsconfig.json", "jsconfig.json", "tsconfig.base.json")
                 if (c := posixpath.join(folder, name)) in self._tree.files), None)  # fmt: skip
            if config is not None:
                self._paths[folder] = self._read_paths(config, 0)
            else:
                self._paths[folder] = self._paths_for(posixpath.dirname(folder)) if folder else []
        return self._paths[folder]

    def _read_paths(self, config: str, depth: int) -> list[tuple[re.Pattern[str], list[str]]]:
        data = self._json(config)
        folder = posixpath.dirname(config)
        options = data.get("compilerOptions")
        options = options if isinstance(options, dict) else {}
        base = options.get("baseUrl")
        root = posixpath.normpath(posixpath.join(folder, base if isinstance(base, str) else "."))
        root = "" if root == "." else root
        found: list[tuple[re.Pattern[str], list[str]]] = []
        paths = options.get("paths")
        for key, targets in paths.items() if isinstance(paths, dict) else ():
            listed = [posixpath.normpath(posixpath.join(root, t)) for t in targets if isinstance(t, str)]
            found.append((re.compile(re.escape(key).replace(r"\*", "(.*)")), listed))
        if isinstance(base, str):
            found.append((re.compile("(.*)"), [posixpath.join(root, "*")]))
        if not found and depth < 5:
            above = data.get("extends")
            for each in above if isinstance(above, list) else [above]:
                if isinstance(each, str) and each.startswith("."):
                    target = posixpath.normpath(posixpath.join(folder, each))
                    target = target if target.endswith(".json") else target + ".json"
                    if target in self._tree.files:
                        found.extend(self._read_paths(target, depth + 1))
        return found

    # --- workspaces ---------------------------------------------------------------------------------------------------

    def _workspace(self, module: str) -> Iterator[str]:
        if self._packages is None:
            self._packages = {}
            for path in self._tree.files:
                if posixpath.basename(path) == "package.json":
                    name = self._json(path).get("name")
                    if isinstance(name, str):
                        self._packages.setdefault(name, posixpath.dirname(path))
        parts = module.split("/")
        size = 2 if module.startswith("@") else 1
        name, inside = "/".join(parts[:size]), "/".join(parts[size:])
        folder = self._packages.get(name)
        if folder is None:
            return
        if not inside:
            main = self._json(posixpath.join(folder, "package.json")).get("main")
            if isinstance(main, str):
                yield posixpath.normpath(posixpath.join(folder, main))
        for root in ("src", "lib", ""):
            yield posixpath.normpath(posixpath.join(folder, root, inside or "index"))

    def _json(self, path: str) -> dict[str, Any]:
        """A configuration file, comments and trailing commas allowed; {} where it cannot be read."""
        data, _ = load(self._tree.files[path])
        text = _COMMENT.sub(lambda m: m[1] or "", (data or b"").decode("utf-8", "replace"))
        try:
            found = json.loads(_TRAILING.sub(r"\1", text))
        except (ValueError, RecursionError):
            return {}
        return found if isinstance(found, dict) else {}


def _file(files: Container[str], base: str) -> str | None:
    """The file an import path names: as it is, with an ending, as a folder's index; TypeScript before what it becomes."""
    stem, ending = posixpath.splitext(base)
    candidates = [stem + source for source in _COMPILED.get(ending, ())]
    candidates += [base, *(base + e for e in _ENDINGS), *(posixpath.join(base, "index" + e) for e in _ENDINGS)]
    return next((c for c in candidates if c in files), None)
