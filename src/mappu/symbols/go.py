"""How Go finds what a name stands for: by its package, which is a folder of files, and the modules of the scan."""

import posixpath
import re
from collections.abc import Container, Iterable

import msgspec

from mappu.sources.text import load
from mappu.sources.walk import Tree
from mappu.syntax import nodes as n

_MODULE = re.compile(rb'^\s*module\s+"?([^\s"]+)', re.M)
_VERSION = re.compile(r"/v\d+(?=/|$)")
_DECLARED = re.compile(rb"^(?:func|type|var|const)[ \t]+(\w+)", re.M)
_GROUP = re.compile(rb"^(?:type|var|const)[ \t]*\(\s*$(.*?)^\)", re.M | re.S)
_GROUPED = re.compile(rb"^(?:\t|    )(\w+)", re.M)
_METHOD = re.compile(rb"^func[ \t]*\([ \t]*(?:\w+[ \t]+)?\*?(\w+)(?:\[[^\]]*\])?[ \t]*\)[ \t]*(\w+)[ \t]*\(", re.M)
_REGISTERS = re.compile(rb"\.(?:SetTagName|Register(?:Alias|(?:Struct)?Validation(?:Ctx)?))\(")
_TYPES = frozenset({
    "bool", "string", "int", "int8", "int16", "int32", "int64", "uint", "uint8", "uint16", "uint32", "uint64", "uintptr", "byte",
    "rune", "float32", "float64", "complex64", "complex128", "error", "any", "comparable",
})  # fmt: skip
_FUNCTIONS = frozenset({"append", "cap", "clear", "close", "complex", "copy", "delete", "imag", "len", "make", "max", "min",
                        "new",
                        "panic", "print", "println", "real", "recover", ".assert", ".ok", ".range", ".slice"})  # fmt: skip


class _Package(msgspec.Struct):
    """What the files of one package declare: the files of each name, and those with methods of each type."""

    files: dict[str, list[str]] = {}
    parts: dict[str, list[str]] = {}


class _Module(msgspec.Struct):
    """What the files of one module say: the types with a method of each name, and the files that tell a validator something."""

    methods: dict[str, set[str]] = {}
    registering: list[str] = []


class GoNames:
    """Finds the files of packages and of what they declare."""

    builtins = _TYPES | _FUNCTIONS
    receiver: str | None = None
    by_class = True
    sees_members = False
    structural = True
    models = re.compile(rb"^type\s+([A-Z]\w*)(?:\[[^\]]*\])?\s+struct\b", re.M)

    def __init__(self, tree: Tree) -> None:
        self._tree = tree
        self._modules = _modules(tree)
        self._own = {p: _package(p, self._modules) for p in tree.files if p.endswith(".go")}
        self._folders: dict[str, list[str]] = {}
        for path, package in self._own.items():
            self._folders.setdefault(package, []).append(path)
        self._packages: dict[str, _Package] = {}
        self._said: dict[str, _Module] = {}

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """The files that people wrote: what a program wrote by itself says so in its first lines."""
        return [p for p in paths if not p.endswith((".pb.go", ".pb.gw.go", "_string.go"))]

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return a file of the package of that name, or the file that declares what a package and a name say; a name that
        begins with a dot is of the importer's own package."""
        if module.startswith("."):
            module = self._own.get(importer, "") + module
        if module in self._folders:
            return self._folders[module][0]
        package, _, name = module.rpartition(".")
        found = self._declared(package).files.get(name) if package in self._folders else None
        if found is None:
            return None
        return importer if importer in found else found[0]

    def module_name(self, files: Container[str], path: str) -> str:
        """Return the package of a file, as others import it."""
        return self._own.get(path, "")

    def in_package(self, package: str, name: str) -> bool | None:
        """None: what packages outside the scan hold is not known."""
        return None

    def implementers(self, interface: n.Class, path: str) -> list[str]:
        """Return the types of the same module that have all methods of an interface; nothing for one that embeds others, or has
        no methods."""
        names = [m.name for m in interface.methods]
        if not names or interface.bases:
            return []
        methods = self._read(path).methods
        return sorted(set.intersection(*(methods.get(name, set()) for name in names)))

    def parts(self, name: str) -> list[str]:
        """Return the files with methods of a type."""
        package, _, last = name.rpartition(".")
        return self._declared(package).parts.get(last, []) if package in self._folders else []

    def having(self, method: str, path: str) -> list[str]:
        """Return the full names of the types with a method of that name, in the module of a file."""
        return sorted(self._read(path).methods.get(method, ()))

    def registering(self, path: str) -> list[str]:
        """Return the files that register words, tags or functions with a validator, in the module of a file."""
        return self._read(path).registering

    # --- what files declare, read when it is first asked for ----------------------------------------------------------

    def _declared(self, package: str) -> _Package:
        if package not in self._packages:
            found = self._packages[package] = _Package()
            for path in self._folders[package]:
                data = load(self._tree.files[path])[0] or b""
                names = [m[1] for m in _DECLARED.finditer(data)]
                names += [m[1] for group in _GROUP.finditer(data) for m in _GROUPED.finditer(group[1])]
                for name in names:
                    found.files.setdefault(name.decode(), []).append(path)
                for owner in dict.fromkeys(m[1].decode() for m in _METHOD.finditer(data)):
                    found.parts.setdefault(owner, []).append(path)
        return self._packages[package]

    def _read(self, path: str) -> _Module:
        """What the module around a file says."""
        folder = _root(path, self._modules)
        if folder not in self._said:
            found = self._said[folder] = _Module()
            for each, package in self._own.items():
                if _root(each, self._modules) != folder:
                    continue
                data = load(self._tree.files[each])[0] or b""
                if _REGISTERS.search(data):
                    found.registering.append(each)
                for match in _METHOD.finditer(data):
                    found.methods.setdefault(match[2].decode(), set()).add(f"{package}.{match[1].decode()}")
        return self._said[folder]


def _modules(tree: Tree) -> dict[str, str]:
    """The name of each module by its folder."""
    found = {}
    for path, file in tree.files.items():
        if posixpath.basename(path) == "go.mod":
            named = _MODULE.search(load(file)[0] or b"")
            if named is not None:
                found[posixpath.dirname(path)] = _VERSION.sub("", named[1].decode("utf-8", "replace"))
    return found


def _root(path: str, modules: dict[str, str]) -> str:
    """The folder of the module that a file is in; "" where it is in none."""
    at = posixpath.dirname(path)
    while at and at not in modules:
        at = posixpath.dirname(at)
    return at


def _package(path: str, modules: dict[str, str]) -> str:
    """The name that others import a file's package by; without a module file, its folder."""
    folder, at = posixpath.dirname(path), _root(path, modules)
    if at not in modules:
        return folder or "main"
    inside = posixpath.relpath(folder, at) if at else folder
    return _VERSION.sub("", modules[at] if inside in (".", "") else f"{modules[at]}/{inside}")
