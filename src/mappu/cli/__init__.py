"""The command line. Each command is a module of this folder, loaded when it is called for."""

import importlib
import os
import sys

import click

COMMANDS = ("demo", "survey", "fields", "gaps", "explain")


class _Commands(click.Group):
    """Loads a command's module only when that command, or the list of all, is asked for."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return list(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command | None:
        if cmd_name not in COMMANDS:
            return None
        command: click.Command = importlib.import_module(f"mappu.cli.{cmd_name}").command
        return command

    def resolve_command(
        self, ctx: click.Context, args: list[str]
    ) -> tuple[str | None, click.Command | None, list[str]]:
        if args and args[0] not in COMMANDS and not args[0].startswith("-"):
            from mappu.inventory.errors import nearest

            raise click.UsageError(f"no command {args[0]!r}.{nearest(args[0], COMMANDS)}", ctx)
        return super().resolve_command(ctx, args)


@click.group(cls=_Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="mappu", prog_name="mappu")
def cli() -> None:
    """Say which request fields of a service are really validated, and which handlers take unvalidated input.

    PATH is a folder, source files, or an inventory file written with `mappu fields --format json`. Mappu reads; it never
    runs what it reads.
    """


def main() -> None:
    """Run the program. Exit codes: 0 fine, 1 gaps at or above the threshold, 2 wrong use, 3 source that can't be read."""
    try:
        # A command that ends early gives its exit code back here; one that runs to its end gives back None.
        code = cli(standalone_mode=False) or 0
        sys.stdout.flush()
        sys.stderr.flush()
        # The trees of a large scan are millions of nodes: taking them apart one by one before the end helps nobody.
        os._exit(code)
    except click.ClickException as error:
        context = getattr(error, "ctx", None)
        asked = context.command_path if context is not None else "mappu"
        click.echo(f"mappu: {error.format_message()} (see {asked} --help)", err=True)
        sys.exit(error.exit_code)
    except (click.Abort, KeyboardInterrupt):
        sys.exit(130)
    except BrokenPipeError:
        # Whoever read our output has had enough.
        sys.stderr.close()
        sys.exit(0)
    except Exception as error:
        from mappu.inventory.errors import MappuError

        if not isinstance(error, MappuError):
            raise
        from mappu.render.escape import plain

        click.echo(f"mappu: {plain(error)}", err=True)
        sys.exit(2)
