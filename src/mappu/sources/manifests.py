"""Services and what they ask to have installed, read from their manifests. One reader a manifest's file name."""

import configparser
import json
import re
import tomllib
from collections.abc import Callable, Iterable
from pathlib import PurePosixPath
from typing import Any

import msgspec
from packaging.requirements import InvalidRequirement, Requirement
from packaging.utils import canonicalize_name

from mappu.inventory.model import Place, Unfollowed
from mappu.sources import jvm_manifests
from mappu.sources.text import load
from mappu.sources.walk import Tree

Reader = Callable[[str, str], "Manifest | None"]


class Package(msgspec.Struct, frozen=True):
    """A package a manifest asks for: its canonical name, its version range as written, its extras."""

    name: str
    versions: str
    extras: frozenset[str]


class Manifest(msgspec.Struct, frozen=True):
    """One manifest. `complete` is False where its list of packages cannot be read from it alone."""

    path: str
    name: str | None
    packages: tuple[Package, ...]
    complete: bool
    # Options that it gives the compiler.
    flags: frozenset[str] = frozenset()


class ServiceRoot(msgspec.Struct, frozen=True):
    """A folder that may hold a service, with every manifest that counts for it (its own, and those above it)."""

    name: str
    path: str
    manifests: tuple[Manifest, ...]

    def package(self, name: str) -> Package | None:
        """Return the package as a manifest asks for it, extras of all mentions together; None where none does."""
        found = [p for m in self.manifests for p in m.packages if p.name == name]
        if not found:
            return None
        return Package(name, found[0].versions, frozenset().union(*(p.extras for p in found)))

    @property
    def lists_packages(self) -> bool:
        """True where the manifests can be trusted to name everything the service installs."""
        own = [m for m in self.manifests if m.packages or not m.complete]
        return bool(own) and all(m.complete for m in own)

    @property
    def place(self) -> Place:
        """The manifest to change first."""
        return Place(self.manifests[0].path, 1)


def service_roots(tree: Tree) -> tuple[dict[str, ServiceRoot], list[Unfollowed]]:
    """Return the folders that hold a manifest, by path ("" is the root), and what could not be read.

    Where the scanned root holds none it is a service root of its own all the same.
    """
    by_folder: dict[str, list[Manifest]] = {}
    problems: list[Unfollowed] = []
    for path in tree.files:
        reader = _reader(PurePosixPath(path))
        if reader is None:
            continue
        data, problem = load(tree.files[path])
        if data is None:
            if problem is not None:
                problems.append(problem)
            continue
        folder = str(PurePosixPath(path).parent)
        folder = "" if folder == "." else folder
        if PurePosixPath(folder).name in ("requirements", "gradle"):
            # They speak of the folder around them.
            folder = folder.rpartition("/")[0]
        try:
            manifest = reader(path, data.decode("utf-8", "replace"))
        except (
            json.JSONDecodeError,
            RecursionError,
            tomllib.TOMLDecodeError,
            configparser.Error,
            jvm_manifests.Broken,
            TypeError,
            AttributeError,
        ) as error:
            problems.append(Unfollowed(path, 1, f"manifest could not be read: {str(error).splitlines()[0]}"))
            continue
        if manifest is not None:
            by_folder.setdefault(folder, []).append(manifest)
    by_folder.setdefault("", [])
    roots = {}
    for folder, own in by_folder.items():
        above = [m for f in _parents(folder) for m in by_folder.get(f, ())]
        name = next((m.name for m in own if m.name), None) or PurePosixPath(folder).name or tree.root.name or "service"
        roots[folder] = ServiceRoot(name, folder or ".", (*own, *above))
    return roots, problems


def root_of(path: str, roots: dict[str, ServiceRoot]) -> ServiceRoot:
    """Return the nearest service root at or above the file."""
    return next(roots[f] for f in _parents(path) if f in roots)


def _parents(path: str) -> Iterable[str]:
    while path:
        path = path.rpartition("/")[0]
        yield path


def _packages(lines: Iterable[Any]) -> tuple[Package, ...]:
    found = []
    for line in lines:
        try:
            wanted = Requirement(str(line).split(" #")[0].strip())
        except InvalidRequirement:
            continue
        found.append(Package(canonicalize_name(wanted.name), str(wanted.specifier), frozenset(wanted.extras)))
    return tuple(found)


def _pyproject(path: str, text: str) -> Manifest:
    data = tomllib.loads(text)
    project: dict[str, Any] = data.get("project", {})
    lines: list[Any] = list(project.get("dependencies", ()))
    for group in (*project.get("optional-dependencies", {}).values(), *data.get("dependency-groups", {}).values()):
        lines.extend(x for x in group if isinstance(x, str))
    poetry: dict[str, Any] = data.get("tool", {}).get("poetry", {})
    tables = [poetry.get("dependencies", {})]
    tables += [g.get("dependencies", {}) for g in poetry.get("group", {}).values()]
    packages = list(_packages(lines))
    for table in tables:
        packages.extend(_poetry(name, value) for name, value in table.items())
    # A pyproject that only configures tools says nothing about packages.
    complete = "dependencies" not in project.get("dynamic", ()) and bool(project or poetry)
    return Manifest(path, project.get("name") or poetry.get("name"), tuple(packages), complete)


def _poetry(name: str, value: Any) -> Package:
    options = value if isinstance(value, dict) else {"version": value}
    version = str(options.get("version", ""))
    # A caret or a bare number names the first version allowed; its major number is what is asked of it here.
    version = re.sub(r"^[\^~]?(\d)", r">=\1", version)
    return Package(canonicalize_name(name), version, frozenset(options.get("extras", ())))


def _requirements(path: str, text: str) -> Manifest:
    lines = [line.strip() for line in text.splitlines()]
    wanted = [line for line in lines if line and line[0] not in "#-"]
    # `-r other.txt` is usually beside it and read on its own; anything else outside the tree cannot be seen.
    complete = not any(line.startswith(("-e", "-c", "git+", "http")) for line in lines)
    return Manifest(path, None, _packages(wanted), complete)


def _setup_cfg(path: str, text: str) -> Manifest:
    parser = configparser.ConfigParser(interpolation=None)
    parser.read_string(text)
    lines = parser.get("options", "install_requires", fallback="").splitlines()
    if parser.has_section("options.extras_require"):
        lines += [x for _, value in parser.items("options.extras_require") for x in value.splitlines()]
    named = parser.get("metadata", "name", fallback=None)
    return Manifest(path, named, _packages(lines), complete=bool(lines))


def _setup_py(path: str, text: str) -> Manifest:
    # A program, not data: what it asks for is only known by running it, and nothing scanned is ever run.
    name = re.search(r"""\bname\s*=\s*["']([\w.-]+)["']""", text)
    return Manifest(path, name[1] if name else None, (), complete=False)


def _pipfile(path: str, text: str) -> Manifest:
    data = tomllib.loads(text)
    tables = (data.get("packages", {}), data.get("dev-packages", {}))
    return Manifest(path, None, tuple(_poetry(k, v) for table in tables for k, v in table.items()), True)


def _package_json(path: str, text: str) -> Manifest | None:
    data = json.loads(text)
    named = data.get("name")
    packages = []
    for table in ("dependencies", "peerDependencies", "optionalDependencies", "devDependencies"):
        listed = data.get(table)
        for name, version in listed.items() if isinstance(listed, dict) else ():
            packages.append(Package(name, str(version), frozenset()))
    if not packages and not named:
        # It only says how the files beside it are read.
        return None
    # The scope before the name is the publisher's, not the service's.
    name = str(named).rpartition("/")[2] if named else None
    return Manifest(path, name, tuple(packages), complete=bool(packages))


def _maven(path: str, text: str) -> Manifest:
    name, found, complete = jvm_manifests.maven(text)
    return Manifest(
        path, name, tuple(Package(n, v, frozenset()) for n, v in found), complete, jvm_manifests.flags(text)
    )


def _gradle(path: str, text: str) -> Manifest | None:
    name, found, complete = jvm_manifests.gradle(text)
    if not found and name is None:
        return None
    return Manifest(
        path, name, tuple(Package(n, v, frozenset()) for n, v in found), complete, jvm_manifests.flags(text)
    )


def _catalogue(path: str, text: str) -> Manifest:
    return Manifest(path, None, tuple(Package(n, v, frozenset()) for n, v in jvm_manifests.catalogue(text)), False)


def _go_mod(path: str, text: str) -> Manifest:
    named = re.search(r'^\s*module\s+"?([^\s"]+)', text, re.M)
    wanted = re.findall(r"^\s*(?:require\s+)?([\w.~/-]+\.[\w.~/-]+)\s+(v[\w.+-]+)", text, re.M)
    # The last part that is no version says what it is.
    parts = [p for p in (named[1] if named is not None else "").split("/") if not re.fullmatch(r"v\d+", p)]
    return Manifest(path, parts[-1] or None, tuple(Package(n, v, frozenset()) for n, v in wanted), complete=True)


_READERS: tuple[tuple[str, Reader], ...] = (
    (r"pyproject\.toml", _pyproject),
    (r"requirements([-_.].*)?\.txt", _requirements),
    (r"setup\.cfg", _setup_cfg),
    (r"setup\.py", _setup_py),
    (r"Pipfile", _pipfile),
    (r"package\.json", _package_json),
    (r"pom\.xml", _maven),
    (r"(?:build|settings)\.gradle(?:\.kts)?", _gradle),
    (r"libs\.versions\.toml", _catalogue),
    (r"go\.mod", _go_mod),
)

# Endings of files that say something of a service without being its source or its manifest.
DOCUMENTS = (".prisma", ".properties", "application.yml", "application.yaml", ".xml")

# Names and endings the walk must bring for the readers above.
WANTED = ("pyproject.toml", "setup.cfg", "setup.py", "Pipfile", ".txt", "package.json", "tsconfig.json", "tsconfig.base.json",
          "jsconfig.json", ".gradle", ".gradle.kts", "libs.versions.toml", "go.mod", *DOCUMENTS)  # fmt: skip


def _reader(path: PurePosixPath) -> Reader | None:
    if path.parent.name == "requirements" and path.suffix == ".txt":
        return _requirements
    return next((reader for pattern, reader in _READERS if re.fullmatch(pattern, path.name)), None)
