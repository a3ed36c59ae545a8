"""`mappu demo`."""

from pathlib import Path

import click

from mappu.cli import common


@click.command("demo", short_help="Write the sample harbour services to a folder and run the whole example.")
@click.argument("folder", metavar="[FOLDER]", default="harbour-demo", type=click.Path(path_type=Path, file_okay=False))
def command(folder: Path) -> None:
    """Write the services of Saltmarsh Harbour, a made-up port, to FOLDER and run every command on them.

    \b
    mappu demo
    mappu demo /tmp/harbour
    """
    from mappu.demo import write
    from mappu.inventory import select
    from mappu.render import terminal

    write(folder)
    width = None if common.is_terminal() else common.PIPE_WIDTH
    inventory = common.load((folder,)).inventory
    booking = "POST /berths/{berth_id}/stays"
    steps = (
        (f"mappu survey {folder}", terminal.survey(inventory, str(folder))),
        (f'mappu fields {folder} --endpoint "{booking}"',
         terminal.fields(select.fields(inventory, endpoint=booking), width or terminal.console().width)),
        (f"mappu gaps {folder} --kind bare-input", terminal.gaps(select.gaps(inventory, kinds=("bare-input",)))),
    )  # fmt: skip
    for words, shown in steps:
        click.secho(f"$ {words}\n", bold=True)
        terminal.show(shown, width)
        click.echo()
    click.echo(f"The sources are in {folder}. Next: mappu gaps {folder}, then mappu explain KIND.")
