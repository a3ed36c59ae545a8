"""`mappu gaps`."""

from pathlib import Path

import click

from mappu.cli import common
from mappu.inventory import files, select
from mappu.inventory.kinds import KINDS
from mappu.inventory.model import SEVERITIES


@click.command("gaps", short_help="Handlers that accept unvalidated input, and every other gap.")
@common.path_argument
@common.format_option(*common.FORMATS)
@click.option(
    "--kind", "kinds", metavar="KIND", multiple=True, help="Only gaps of this kind; `mappu explain` lists them."
)
@click.option("--endpoint", metavar="TEXT", help="Only endpoints whose id holds this text.")
@click.option("--threshold", type=click.Choice([*SEVERITIES, "never"]), help="Exit with 1 at this severity or above.  "
              "[default: medium, or the settings']")  # fmt: skip
def command(
    paths: tuple[Path, ...], format_: str, kinds: tuple[str, ...], endpoint: str | None, threshold: str | None
) -> None:
    """The report: handlers that accept unvalidated input and every other gap, each with its reason and a way to close it.

    \b
    mappu gaps --kind bare-input --kind idle-rules
    mappu gaps services/berths --threshold high --format markdown
    """
    common.check_words(kinds, KINDS, "gap kind")
    loaded = common.load(paths)
    found = select.gaps(loaded.inventory, kinds=kinds, endpoint=endpoint)
    if format_ == "json":
        common.write_json(files.encode(found))
    elif format_ == "table" and common.is_terminal():
        from mappu.render import terminal

        terminal.show(terminal.gaps(found))
    else:
        from mappu.render import sheets

        writers = {"csv": sheets.as_csv, "markdown": sheets.as_markdown, "table": sheets.as_lines}
        click.echo(writers[format_](sheets.gaps(found)), nl=False)
    if loaded.accepted:
        click.echo(f"mappu: {loaded.accepted} accepted by {loaded.settings.where}", err=True)
    bar = threshold or loaded.settings.threshold
    counted = SEVERITIES[SEVERITIES.index(bar) :] if bar in SEVERITIES else ()
    over = any(g.severity in counted for g in found.gaps)
    common.leave(1 if over else 3 if loaded.unreadable else 0)
