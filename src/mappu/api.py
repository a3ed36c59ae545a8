"""The library: paths in, an inventory with its gaps out."""

from collections.abc import Iterable
from pathlib import Path

from mappu.gaps import Judgement, judge
from mappu.inventory.model import Inventory
from mappu.pipeline.evidence import Scan
from mappu.pipeline.scan import Progress, scan
from mappu.sources.settings import Settings


def judged(
    paths: Iterable[str | Path], settings: Settings | None = None, progress: Progress | None = None
) -> tuple[Judgement, Scan]:
    """Read the services below the paths; return the inventory with its gaps, and everything that was found on the way."""
    found = scan([Path(p) for p in paths], settings, progress)
    return judge(found), found


def survey(*paths: str | Path, settings: Settings | None = None) -> Inventory:
    """Return the inventory of the services below the paths (folders or source files), gaps included.

    `settings` overrides the settings file found beside them. Raises MappuError with a one-line message for a path that
    does not exist or settings that cannot be understood.
    """
    return judged(paths or (".",), settings)[0].inventory
