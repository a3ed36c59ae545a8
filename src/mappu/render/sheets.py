"""Plain tables of text for CSV, Markdown and pipes: the same rows whatever they are written as."""

import csv
import io

import msgspec

from mappu.inventory.model import Inventory
from mappu.render import phrases
from mappu.render.escape import csv_cell, markdown, plain


class Sheet(msgspec.Struct, frozen=True):
    """Named columns and rows of text."""

    columns: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def fields(inventory: Inventory) -> Sheet:
    """A row a field; an endpoint that takes nothing has a row of its own."""
    columns = ("service", "method", "path", "in", "field", "type", "required", "nullable", "standing", "constraints",
               "model", "where", "handler")  # fmt: skip
    rows = []
    for e in inventory.endpoints:
        handler = f"{e.handler.symbol} {e.handler.file}:{e.handler.line}"
        if not e.fields:
            rows.append((e.service, e.method, e.path, "", "", "", "", "", e.standing, "", "", "", handler))
        for f in e.fields:
            rows.append((
                e.service, e.method, e.path, f.place, f.path, f.type, "yes" if f.required else "no",
                "yes" if f.nullable else "no", f.standing, phrases.constraints(f.constraints), f.model or "",
                phrases.place(f.declared), handler,
            ))  # fmt: skip
    return Sheet(columns, tuple(rows))


def gaps(inventory: Inventory) -> Sheet:
    """A row a gap."""
    columns = ("severity", "kind", "endpoint", "in", "field", "where", "source", "why", "fix")
    rows = tuple(
        (g.severity, g.kind, g.endpoint or "", g.place or "", g.field or "", phrases.place(g.where), g.where.text or "",
         g.why, g.fix)
        for g in inventory.gaps
    )  # fmt: skip
    return Sheet(columns, rows)


def as_csv(sheet: Sheet) -> str:
    """Comma-separated, every cell safe to open in a spreadsheet."""
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(sheet.columns)
    writer.writerows([csv_cell(c) for c in row] for row in sheet.rows)
    return out.getvalue()


def as_markdown(sheet: Sheet) -> str:
    """A Markdown table."""
    lines = ["| " + " | ".join(sheet.columns) + " |", "|" + "---|" * len(sheet.columns)]
    lines += ["| " + " | ".join(markdown(c) for c in row) + " |" for row in sheet.rows]
    return "\n".join(lines) + "\n"


def as_lines(sheet: Sheet) -> str:
    """One line a row, columns divided by tabs: what goes into a pipe."""
    return "".join("\t".join(plain(c) for c in row) + "\n" for row in (sheet.columns, *sheet.rows))
