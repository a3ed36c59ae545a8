"""How Python finds a module: packages, roots and relative imports, over the files of the scan."""

import builtins
import re
import sys
from collections.abc import Container, Iterable
from pathlib import Path, PurePosixPath

from mappu.sources.walk import Tree


class PythonNames:
    """Finds the files that imports lead to. `above` is the package that the scanned folder itself is."""

    builtins = frozenset(dir(builtins))
    # A method's own object is its first parameter.
    receiver: str | None = None
    by_class = False
    sees_members = False
    models = re.compile(rb"^class\s+([A-Z]\w*)\s*\(", re.M)

    def __init__(self, tree: Tree) -> None:
        self.above = package_of(tree.root)

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """The files that people wrote: all of them."""
        return list(paths)

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return the file that `import module` (with `level` leading dots) in `importer` brings, or None if outside."""
        return locate(files, self.above, importer, module, level)

    def module_name(self, files: Container[str], path: str) -> str:
        """Return the dotted name a file is imported by."""
        return module_name(files, self.above, path)


def package_of(root: Path) -> str:
    """Return the dotted name of the package that a scanned folder is, seen from outside; "" where it is none."""
    parts = []
    while (root / "__init__.py").is_file() and root.parent != root:
        parts.append(root.name)
        root = root.parent
    return ".".join(reversed(parts))


def locate(files: Container[str], above: str, importer: str, module: str, level: int) -> str | None:
    """Return the file that `import module` (with `level` leading dots) in `importer` brings, or None if outside. `above` is
    the package that the scanned folder itself is."""
    if not level and above and f"{module}.".startswith(f"{above}."):
        return _file(files, "", module[len(above) + 1 :].replace(".", "/"))
    inside = module.replace(".", "/")
    folder = _parent(importer)
    if level:
        for _ in range(level - 1):
            folder = _parent(folder)
        return _file(files, folder, inside)
    if module.split(".")[0] in sys.stdlib_module_names:
        return None
    while True:
        # A folder with an __init__ is a package, so not a place imports start from, unless it is run from.
        if not _is_package(files, folder) or folder == "":
            for root in (folder, _join(folder, "src")):
                found = _file(files, root, inside)
                if found is not None and found != importer:
                    return found
        if not folder:
            return _file(files, _parent(importer), inside)
        folder = _parent(folder)


def module_name(files: Container[str], above: str, path: str) -> str:
    """Return the dotted name a file is imported by: its path from the nearest folder that is no package."""
    pure = PurePosixPath(path)
    parts = [] if pure.stem == "__init__" else [pure.stem]
    folder = _parent(path)
    while folder and _is_package(files, folder):
        parts.append(PurePosixPath(folder).name)
        folder = _parent(folder)
    found = ".".join(reversed(parts))
    return (f"{above}.{found}".strip(".") if not folder else found) or pure.stem


def _is_package(files: Container[str], folder: str) -> bool:
    return _join(folder, "__init__.py") in files


def _file(files: Container[str], folder: str, inside: str) -> str | None:
    base = _join(folder, inside) if inside else folder
    for candidate in (f"{base}.py", _join(base, "__init__.py"), f"{base}.pyi"):
        if candidate in files:
            return candidate
    return None


def _join(folder: str, name: str) -> str:
    return f"{folder}/{name}" if folder else name


def _parent(path: str) -> str:
    return path.rpartition("/")[0]
