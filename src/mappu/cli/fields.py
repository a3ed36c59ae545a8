"""`mappu fields`."""

from pathlib import Path

import click

from mappu.cli import common
from mappu.inventory import files, select
from mappu.inventory.model import PLACES
from mappu.inventory.standing import ORDER


@click.command("fields", short_help="Every endpoint field with its limits, standing and source line.")
@common.path_argument
@common.format_option(*common.FORMATS)
@click.option("--endpoint", metavar="TEXT", help="Only endpoints whose id holds this text.")
@click.option("--in", "places", metavar="PLACE", multiple=True, help="Only this place: " + ", ".join(PLACES) + ".")
@click.option("--field", metavar="NAME", help="Only fields of this name; * stands for anything.")
@click.option(
    "--standing", "standings", metavar="WORD", multiple=True, help="Only this standing: " + ", ".join(ORDER[:-1]) + "."
)
def command(
    paths: tuple[Path, ...], format_: str, endpoint: str | None, places: tuple[str, ...], field: str | None,
    standings: tuple[str, ...],
) -> None:  # fmt: skip
    """The inventory: every endpoint field with its limits, what runs them, and its source line.

    With --format json it is printed whole, gaps included, as an inventory file that every command also reads.

    \b
    mappu fields --standing bare --standing idle
    mappu fields --endpoint "POST /berths" --format json > berths.json
    """
    common.check_words(places, PLACES, "place")
    common.check_words(standings, ORDER, "standing")
    loaded = common.load(paths)
    found = select.fields(loaded.inventory, endpoint=endpoint, places=places, field=field, standings=standings)
    if format_ == "json":
        common.write_json(files.encode(found))
    elif format_ == "table" and common.is_terminal():
        from mappu.render import terminal

        console = terminal.console()
        console.print(terminal.fields(found, console.width))
    else:
        from mappu.render import sheets

        writers = {"csv": sheets.as_csv, "markdown": sheets.as_markdown, "table": sheets.as_lines}
        click.echo(writers[format_](sheets.fields(found)), nl=False)
    common.leave(3 if loaded.unreadable else 0)
