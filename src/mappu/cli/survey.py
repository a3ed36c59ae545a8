"""`mappu survey`."""

from pathlib import Path

import click

from mappu.cli import common


@click.command("survey", short_help="One screen: services, endpoints by standing, what to fix first.")
@common.path_argument
@common.format_option("table", "json")
def command(paths: tuple[Path, ...], format_: str) -> None:
    """One screen: services, endpoints by standing, fields, the worst gaps, and what could not be followed.

    \b
    mappu survey
    mappu survey services/berths --format json
    """
    loaded = common.load(paths)
    if format_ == "json":
        from mappu.render import summary

        common.write_json(summary.survey(loaded.inventory))
    else:
        from mappu.render import terminal

        shown = " ".join(str(p) for p in paths) or "."
        width = None if common.is_terminal() else common.PIPE_WIDTH
        terminal.show(terminal.survey(loaded.inventory, shown), width)
    common.leave(3 if loaded.unreadable else 0)
