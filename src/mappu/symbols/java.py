"""How Java finds a class: by its package and name, over all files of the scan."""

import re
from collections.abc import Container, Iterable
from os.path import commonpath

import msgspec

from mappu.sources.text import load
from mappu.sources.walk import Tree
from mappu.symbols.java_packages import LANG, PACKAGES
from mappu.symbols.scopes import Scope
from mappu.syntax import nodes as n

SUFFIXES = (".java", ".kt")
_PACKAGE = re.compile(rb"^\s*package\s+([\w.]+)", re.M)
# What a file declares at its top; nested classes are found through those around them.
_DECLARED = re.compile(
    rb"^(?:(?:@\w+(?:\([^()]*\))?|[a-z-]+)\s+)*(?:class|interface|enum|record|@interface|object)\s+([A-Z]\w*)", re.M
)
_IMPLEMENTS = re.compile(rb"\b(?:class|record|enum)\s+(\w+)[^{};]*?\bimplements\s+([^{]+)\{")


def is_kotlin(scope: Scope) -> bool:
    """True in a file of Kotlin's, which shares its names with Java."""
    return scope.module.path.endswith(".kt")


class _Index(msgspec.Struct):
    """What the files of a scan declare: the file of each class by its full name, the package of each file, and the classes that
    say they implement an interface, by its name alone."""

    files: dict[str, list[str]] = {}
    packages: dict[str, str] = {}
    implementers: dict[str, list[str]] = {}


class JavaNames:
    """Finds the files that hold the classes named in imports and packages."""

    builtins = LANG
    receiver: str | None = "this"
    by_class = True
    sees_members = True
    structural = False
    models = re.compile(rb"^\s*(?:(?:public|final|data|abstract|static)\s+)*(?:class|record)\s+([A-Z]\w*)", re.M)

    def __init__(self, tree: Tree) -> None:
        self._tree = tree
        self._index: _Index | None = None

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """The files that people wrote: all of them."""
        return list(paths)

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return the file that declares the class of that full name: where several do, the nearest to `importer`."""
        found = self.index.files.get(module)
        if found is None:
            return None
        return max(found, key=lambda path: len(commonpath((path, importer))))

    def module_name(self, files: Container[str], path: str) -> str:
        """Return the package of a file."""
        return self.index.packages.get(path, "")

    def in_package(self, package: str, name: str) -> bool | None:
        """True where a package outside the scan holds a class of that name, None where its classes are not known."""
        known = PACKAGES.get(package)
        return name in known if known is not None else None

    def implementers(self, interface: n.Class, path: str) -> list[str]:
        """Return the full names of the classes that say they implement an interface of that name."""
        return self.index.implementers.get(interface.name, [])

    def parts(self, name: str) -> list[str]:
        """Return nothing: a class is whole where it is declared."""
        return []

    @property
    def index(self) -> _Index:
        if self._index is None:
            self._index = _Index()
            for path, file in self._tree.files.items():
                if path.endswith(SUFFIXES):
                    data, _ = load(file)
                    if data is not None:
                        _read(self._index, path, data)
        return self._index


def _read(index: _Index, path: str, data: bytes) -> None:
    found = _PACKAGE.search(data)
    package = found[1].decode() if found is not None else ""
    index.packages[path] = package
    for match in _DECLARED.finditer(data):
        name = match[1].decode()
        index.files.setdefault(f"{package}.{name}".lstrip("."), []).append(path)
    for match in _IMPLEMENTS.finditer(data):
        for each in re.findall(rb"(\w+)\s*(?:<[^,{]*>)?\s*(?:,|$)", match[2].strip()):
            index.implementers.setdefault(each.decode(), []).append(f"{package}.{match[1].decode()}".lstrip("."))
