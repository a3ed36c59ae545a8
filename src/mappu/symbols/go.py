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


class _Index(msgspec.Struct):
    """What the files of a scan declare: the files of each name by its package and itself, one file of each package, the package
    of each file, the files with methods of each type, the types with a method of each name, and the files that tell a validator
    something at start."""

    files: dict[str, list[str]] = {}
    packages: dict[str, str] = {}
    own: dict[str, str] = {}
    parts: dict[str, list[str]] = {}
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
        self._index: _Index | None = None

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """The files that people wrote: what a program wrote by itself says so in its first lines."""
        return [p for p in paths if not p.endswith((".pb.go", ".pb.gw.go", "_string.go"))]

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return a file of the package of that name, or the file that declares what a package and a name say; a name that
        begins with a dot is of the importer's own package."""
        if module.startswith("."):
            module = self.index.own.get(importer, "") + module
        found = self.index.files.get(module)
        if found is not None:
            return importer if importer in found else found[0]
        return self.index.packages.get(module)

    def module_name(self, files: Container[str], path: str) -> str:
        """Return the package of a file, as others import it."""
        return self.index.own.get(path, "")

    def in_package(self, package: str, name: str) -> bool | None:
        """None: what packages outside the scan hold is not known."""
        return None

    def implementers(self, interface: n.Class) -> list[str]:
        """Return the types that have all methods of an interface; nothing for one that embeds others, or has no methods."""
        names = [m.name for m in interface.methods]
        if not names or interface.bases:
            return []
        having = [self.index.methods.get(name, set()) for name in names]
        return sorted(set.intersection(*having))

    def parts(self, name: str) -> list[str]:
        """Return the files with methods of a type."""
        return self.index.parts.get(name, [])

    def having(self, method: str) -> list[str]:
        """Return the full names of the types with a method of that name."""
        return sorted(self.index.methods.get(method, ()))

    def registering(self) -> list[str]:
        """Return the files that register words, tags or functions with a validator."""
        return self.index.registering

    @property
    def index(self) -> _Index:
        if self._index is None:
            self._index = _Index()
            modules = self._modules()
            for path, file in self._tree.files.items():
                if path.endswith(".go"):
                    data, _ = load(file)
                    if data is not None:
                        _read(self._index, path, _package(path, modules), data)
        return self._index

    def _modules(self) -> dict[str, str]:
        """The name of each module by its folder."""
        found = {}
        for path, file in self._tree.files.items():
            if posixpath.basename(path) == "go.mod":
                data, _ = load(file)
                named = _MODULE.search(data or b"")
                if named is not None:
                    found[posixpath.dirname(path)] = _VERSION.sub("", named[1].decode("utf-8", "replace"))
        return found


def _package(path: str, modules: dict[str, str]) -> str:
    """The name that others import a file's package by; without a module file, its folder."""
    folder = at = posixpath.dirname(path)
    while at not in modules and at:
        at = posixpath.dirname(at)
    if at not in modules:
        return folder or "main"
    inside = posixpath.relpath(folder, at) if at else folder
    return _VERSION.sub("", modules[at] if inside in (".", "") else f"{modules[at]}/{inside}")


def _read(index: _Index, path: str, package: str, data: bytes) -> None:
    index.own[path] = package
    index.packages.setdefault(package, path)
    names = [m[1] for m in _DECLARED.finditer(data)]
    names += [m[1] for group in _GROUP.finditer(data) for m in _GROUPED.finditer(group[1])]
    for name in names:
        index.files.setdefault(f"{package}.{name.decode()}", []).append(path)
    if _REGISTERS.search(data):
        index.registering.append(path)
    for match in _METHOD.finditer(data):
        owner = f"{package}.{match[1].decode()}"
        if path not in index.parts.setdefault(owner, []):
            index.parts[owner].append(path)
        index.methods.setdefault(match[2].decode(), set()).add(owner)
