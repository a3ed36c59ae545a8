"""`mappu explain`."""

import click

from mappu.cli import common
from mappu.gaps.pages import page
from mappu.inventory.kinds import KINDS


@click.command("explain", short_help="What a gap kind means, and how to close it.")
@click.argument("kind", metavar="[KIND]", required=False)
@common.format_option("table", "json", "markdown")
def command(kind: str | None, format_: str) -> None:
    """What a gap kind means, what it looks like, and how each framework closes it. Without KIND: the list of kinds.

    \b
    mappu explain
    mappu explain idle-rules
    """
    if kind is None:
        _list(format_)
        return
    common.check_words((kind,), KINDS, "gap kind")
    text = page(kind)
    if format_ == "json":
        found = KINDS[kind]
        common.write_json({"kind": kind, "severity": found.severity, "says": found.says, "page": text})
    elif format_ == "table" and common.is_terminal():
        from mappu.render import terminal

        terminal.show(terminal.page(text))
    else:
        click.echo(text, nl=False)


def _list(format_: str) -> None:
    if format_ == "json":
        common.write_json([{"kind": k.name, "severity": k.severity, "says": k.says} for k in KINDS.values()])
        return
    if format_ == "markdown":
        click.echo("| kind | severity | says |\n|---|---|---|")
        for k in KINDS.values():
            click.echo(f"| {k.name} | {k.severity} | {k.says} |")
        return
    for k in KINDS.values():
        click.echo(f"{k.name:<16} {k.severity:<7} {k.says}")
