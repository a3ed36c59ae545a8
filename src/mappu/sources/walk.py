"""Finding the files to read: a walk that honours ignore files and never leaves, loops or crashes."""

import os
from collections.abc import Iterable, Iterator
from pathlib import Path

import msgspec
import pathspec

from mappu.inventory.errors import UsageError
from mappu.inventory.model import Unfollowed

# Larger than any source people write by hand; reading one would cost more than the rest of a service.
MAX_BYTES = 4_000_000

# What is not the service itself: tools' own folders, installed packages, build output, tests.
LEFT_OUT = (
    ".*/", "__pycache__/", "node_modules/", "site-packages/", "venv/", "env/", "build/", "dist/", "target/", "vendor/",
    "*.egg-info/", "tests/", "test/", "test_*.py", "*_test.py", "*_test.go", "testdata/", "conftest.py", "__tests__/",
    "__mocks__/", "*.test.*",
    "*.spec.*", "*.e2e-spec.*", "coverage/", "bower_components/", "*.min.js", "*.bundle.js", "*.stories.*",
)  # fmt: skip


class SourceFile(msgspec.Struct, frozen=True):
    """One file found: its path relative to the root with `/`, where it really is, and its size in bytes."""

    path: str
    real: str
    size: int

    def read(self) -> bytes:
        with open(self.real, "rb") as file:
            return file.read()


class Tree(msgspec.Struct):
    """The files of one scan. `problems` are the places that could not be read."""

    root: Path
    files: dict[str, SourceFile]
    problems: list[Unfollowed]


class _Ignore:
    """Ignore patterns met on the way down, nearest last, each with the folder it is relative to."""

    def __init__(self, specs: tuple[tuple[str, pathspec.GitIgnoreSpec], ...]) -> None:
        self.specs = specs

    def within(self, folder: str, lines: Iterable[str]) -> "_Ignore":
        return _Ignore((*self.specs, (folder, pathspec.GitIgnoreSpec.from_lines(lines))))

    def hides(self, path: str, is_folder: bool) -> bool:
        hidden = False
        for folder, spec in self.specs:
            inside = path[len(folder) :].lstrip("/") if folder else path
            verdict = spec.check_file(inside + "/" if is_folder else inside).include
            if verdict is not None:
                hidden = verdict
        return hidden


def find(paths: Iterable[Path], wanted: Iterable[str], leave_out: Iterable[str], take_in: Iterable[str]) -> Tree:
    """Return the files below the paths whose name or ending is in `wanted`.

    `leave_out` and `take_in` are ignore-file patterns of the settings, the latter winning. A path given by name is
    always read. Raises UsageError for a path that does not exist.
    """
    given = [Path(os.path.abspath(p)) for p in paths]
    for path in given:
        if not path.exists():
            raise UsageError(f"{path}: no such file or folder")
    folders = [p if p.is_dir() else p.parent for p in given]
    root = Path(os.path.commonpath(folders))
    tree = Tree(root, {}, [])
    own = [*LEFT_OUT, *leave_out, *("!" + p for p in take_in)]
    names = frozenset(wanted)
    for path in given:
        prefix = "" if path == root else path.relative_to(root).as_posix()
        if path.is_file():
            tree.files[prefix] = SourceFile(prefix, str(path), path.stat().st_size)
            continue
        ignore = _Ignore(((prefix, pathspec.GitIgnoreSpec.from_lines(own)),))
        for file in _walk(path, prefix, ignore, names, tree.problems):
            tree.files.setdefault(file.path, file)
    tree.files = dict(sorted(tree.files.items()))
    return tree


def _walk(
    top: Path, prefix: str, ignore: _Ignore, wanted: frozenset[str], problems: list[Unfollowed]
) -> Iterator[SourceFile]:
    seen = {os.path.realpath(top)}
    stack = [(str(top), prefix, ignore)]
    while stack:
        folder, path, ignore = stack.pop()
        try:
            entries = sorted(os.scandir(folder), key=lambda e: e.name)
        except OSError as error:
            problems.append(Unfollowed(path or ".", 0, f"folder could not be read: {error.strerror}"))
            continue
        rules = next((e for e in entries if e.name == ".gitignore" and e.is_file()), None)
        if rules is not None:
            ignore = ignore.within(path, Path(rules.path).read_text("utf-8", "replace").splitlines())
        for entry in entries:
            below = f"{path}/{entry.name}" if path else entry.name
            try:
                if entry.is_dir():
                    if ignore.hides(below, True) or os.path.exists(os.path.join(entry.path, "pyvenv.cfg")):
                        continue
                    if entry.is_symlink() and not _first_visit(entry.path, seen):
                        problems.append(Unfollowed(below, 0, "link to a folder that is read already: not followed"))
                        continue
                    stack.append((entry.path, below, ignore))
                elif (entry.name in wanted or os.path.splitext(entry.name)[1] in wanted) and not ignore.hides(
                    below, False
                ):
                    yield SourceFile(below, entry.path, entry.stat().st_size)
            except OSError as error:
                problems.append(Unfollowed(below, 0, f"could not be read: {error.strerror}"))


def _first_visit(folder: str, seen: set[str]) -> bool:
    """Note where a linked folder really is; False where that place, or one above it, was met before."""
    real = os.path.realpath(folder)
    if any(real == s or s.startswith(real + os.sep) or real.startswith(s + os.sep) for s in seen):
        return False
    seen.add(real)
    return True
