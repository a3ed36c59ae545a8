"""What the commands share: the PATH argument, loading, and choosing how to print."""

import sys
import time
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import click
import msgspec

from mappu.inventory import files
from mappu.inventory.model import Inventory, Unfollowed
from mappu.render.escape import plain
from mappu.sources import settings as settings_

FORMATS = ("table", "json", "csv", "markdown")
QUIET_FOR = 1.0  # seconds before progress is shown
PIPE_WIDTH = 100
MAX_ALIKE = 5  # files with the same problem that are named one by one


class Loaded(msgspec.Struct, frozen=True):
    """An inventory with what is needed to print it: its settings, and how many files could not be read."""

    inventory: Inventory
    settings: settings_.Settings
    unreadable: int
    accepted: int


def path_argument(command: Callable[..., Any]) -> Callable[..., Any]:
    """Add the PATH argument."""
    return click.argument("paths", metavar="[PATH]...", nargs=-1, type=click.Path(path_type=Path))(command)


def format_option(*names: str) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    """Add `--format` with these choices."""
    return click.option(
        "--format", "format_", type=click.Choice(names), default="table", show_default=True, help="How to print."
    )


def load(paths: tuple[Path, ...]) -> Loaded:
    """Return the inventory of the paths: read from source, or from an inventory file. Problems go to standard error."""
    given = paths or (Path("."),)
    if len(given) == 1 and files.looks_like_inventory(given[0]):
        inventory = files.decode(given[0].read_bytes(), str(given[0]))
        return Loaded(inventory, settings_.load(given[0].absolute()), 0, 0)
    from mappu.api import judged

    decided = settings_.load(given[0].absolute())
    judgement, found = judged(given, decided, _progress())
    for line in _told(found.problems):
        click.echo(f"mappu: {plain(line)}", err=True)
    for entry in judgement.unmatched:
        click.echo(f"mappu: {decided.where}: accepted {entry.kind} ({plain(entry.reason)}) matches no gap", err=True)
    return Loaded(judgement.inventory, decided, found.unreadable, len(judgement.accepted))


def _told(problems: Iterable[Unfollowed]) -> Iterator[str]:
    """A line a problem; where many files have the same, the first and how many more there are (the inventory lists all)."""
    alike: dict[str, list[Unfollowed]] = {}
    for problem in sorted(problems, key=lambda p: (p.file, p.line)):
        alike.setdefault(problem.what, []).append(problem)
    for what, those in alike.items():
        shown = those if len(those) <= MAX_ALIKE else those[:1]
        for problem in shown:
            more = f" ({len(those) - 1:,} more files like this)" if len(those) > len(shown) else ""
            yield f"{problem.file}:{problem.line}: {what}{more}" if problem.line else f"{problem.file}: {what}{more}"


def _progress() -> Callable[[str], None]:
    started = time.monotonic()

    def say(text: str) -> None:
        if time.monotonic() - started > QUIET_FOR:
            click.echo(f"mappu: {plain(text)}", err=True)

    return say


def write_json(value: Any) -> None:
    """Print data as JSON, two spaces deep."""
    encoded = value if isinstance(value, bytes) else msgspec.json.format(msgspec.json.encode(value), indent=2) + b"\n"
    sys.stdout.buffer.write(encoded)


def is_terminal() -> bool:
    """True where a person reads standard output."""
    return sys.stdout.isatty()


def check_words(words: Iterable[str], known: Iterable[str], what: str) -> None:
    """Raise a usage error for a word that is not known, naming the nearest one."""
    from mappu.inventory.errors import nearest

    names = list(known)
    for word in words:
        if word not in names:
            raise click.UsageError(f"no {what} {word!r}.{nearest(word, names)}")


def leave(code: int) -> None:
    """End the command with an exit code."""
    if code:
        raise click.exceptions.Exit(code)
