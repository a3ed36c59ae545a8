"""Inventories as a person reads them in a terminal."""

import sys
from collections import Counter
from collections.abc import Iterable, Iterator
from itertools import groupby

from rich.console import Console, Group, RenderableType
from rich.markdown import Markdown
from rich.padding import Padding
from rich.table import Table
from rich.text import Text

from mappu.inventory.kinds import KINDS
from mappu.inventory.model import Endpoint, Gap, Inventory, Standing
from mappu.inventory.standing import ORDER, WORDS
from mappu.render import phrases
from mappu.render.escape import plain

STYLES: dict[str, str] = {
    "enforced": "green", "shape-only": "cyan", "unknown": "magenta", "leaky": "yellow", "idle": "bright_red",
    "bare": "bold red", "no-input": "dim", "high": "bold red", "medium": "yellow", "low": "cyan",
}  # fmt: skip
MAX_WORST = 6
MAX_UNFOLLOWED = 5


def _text(text: object, style: str = "") -> Text:
    return Text(plain(text), style=style)


def _plural(count: int, word: str) -> str:
    return f"{count} {word}" if count == 1 else f"{count} {word}s"


# --- survey -----------------------------------------------------------------------------------------------------------


def survey(inventory: Inventory, path: str = ".") -> RenderableType:
    """One screen: services, endpoints by standing, the worst gaps, what was not followed."""
    parts: list[RenderableType] = [_services(inventory), Text(), _standings(inventory)]
    worst = _worst(inventory.gaps)
    if worst:
        parts += [Text(), _text("What to fix first", "bold")]
        parts += [_line_of(g, len(also)) for g, also in worst[:MAX_WORST]]
        if len(worst) > MAX_WORST:
            parts.append(_text(f"  … and {len(worst) - MAX_WORST} more like these: mappu gaps {path}", "dim"))
    if inventory.unfollowed:
        parts += [Text(), _text(f"Not followed: {_plural(len(inventory.unfollowed), 'place')}", "bold")]
        for u in inventory.unfollowed[:MAX_UNFOLLOWED]:
            parts.append(_text(f"  {u.file}{f':{u.line}' if u.line else ''}  {u.what}", "magenta"))
        if len(inventory.unfollowed) > MAX_UNFOLLOWED:
            left = len(inventory.unfollowed) - MAX_UNFOLLOWED
            parts.append(_text(f"  … and {left} more: mappu fields {path} --format json", "dim"))
    if not inventory.endpoints:
        parts.append(_text("No endpoint was found here. Is this the folder with the service's source?", "yellow"))
    return Group(*parts)


def _worst(gaps: Iterable[Gap]) -> list[tuple[Gap, list[Gap]]]:
    """The gravest faults, one of each kind before the second of any, so that one kind does not hide the others."""
    found = list(_collapsed(gaps))
    gravest = [each for each in found if each[0].severity == "high"] or found
    order, turns = list(KINDS), Counter[str]()
    ranked = []
    for each in gravest:
        turns[each[0].kind] += 1
        ranked.append((turns[each[0].kind], order.index(each[0].kind), each))
    return [each for _, _, each in sorted(ranked, key=lambda r: r[:2])]


def _services(inventory: Inventory) -> Table:
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    for name in ("service", "stack"):
        table.add_column(name, overflow="fold")
    for name in ("endpoints", "fields", "gaps", "high", "medium", "low"):
        table.add_column(name, justify="right")
    for service in inventory.services:
        own = [e for e in inventory.endpoints if e.service in (service.name, service.path)]
        ids = {e.id for e in own}
        inside = "" if service.path == "." else service.path + "/"
        gaps = [
            g for g in inventory.gaps if g.endpoint in ids or (g.endpoint is None and g.where.file.startswith(inside))
        ]
        by = Counter(g.severity for g in gaps)
        counts = [len(own), sum(len(e.fields) for e in own), len(gaps), by["high"], by["medium"], by["low"]]
        styles = ["", "", "bold", STYLES["high"] if by["high"] else "dim", "" if by["medium"] else "dim", "dim"]
        cells = [_text(c, s) for c, s in zip(counts, styles, strict=True)]
        table.add_row(_text(service.name, "bold"), _text(", ".join(service.frameworks)), *cells)
    return table


def _standings(inventory: Inventory) -> RenderableType:
    count = Counter(e.standing for e in inventory.endpoints)
    fields = Counter(f.standing for e in inventory.endpoints for f in e.fields)
    table = Table(box=None, pad_edge=False, padding=(0, 2, 0, 0), header_style="bold")
    table.add_column("standing")
    table.add_column("endpoints", justify="right")
    table.add_column("fields", justify="right")
    table.add_column("", no_wrap=True)
    table.add_column("means", overflow="fold")
    most = max(count.values(), default=1)
    for word in ORDER:
        if not count[word] and not fields[word]:
            continue
        bar = "█" * round(20 * count[word] / most) or ("▏" if count[word] else "")
        table.add_row(_text(word, STYLES[word]), str(count[word]), str(fields[word]) if fields[word] else "",
                      _text(bar, STYLES[word]), _text(WORDS[word], "dim"))  # fmt: skip
    return table


def _line_of(gap: Gap, also: int) -> Table:
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column(width=8, no_wrap=True)
    table.add_column(width=16, no_wrap=True)
    table.add_column(overflow="fold")
    more = f" (and {_plural(also, 'other endpoint')})" if also else ""
    body = Text.assemble(_text((gap.endpoint or "") + more, "bold"), "  ", _text(phrases.place(gap.where), "dim"))
    table.add_row(_text("  " + gap.severity, STYLES[gap.severity]), _text(gap.kind), Group(body, _text(gap.why)))
    return table


# --- fields -----------------------------------------------------------------------------------------------------------


def fields(inventory: Inventory, width: int) -> RenderableType:
    """The inventory: a line an endpoint, a row a field, columns lined up from endpoint to endpoint."""
    parts: list[RenderableType] = []
    all_fields = [f for e in inventory.endpoints for f in e.fields]
    longest = max((len(f.path) for f in all_fields), default=5)
    where = max((len(phrases.place(f.declared)) for f in all_fields), default=5)
    name_width = max(5, min(longest, 30 if width < 130 else 44))
    # The limits get what is left; of a path deep in packages its end is shown, and the headline has the whole.
    where_width = min(where, 40 if width >= 130 else 22)
    type_width = max((len(phrases.type_of(f)) for f in all_fields), default=4)
    for service, endpoints in groupby(inventory.endpoints, key=lambda e: e.service):
        parts.append(_text(service, "bold underline"))
        for endpoint in endpoints:
            parts += [Text(), _headline(endpoint)]
            if endpoint.fields:
                parts.append(_fields(endpoint, name_width, type_width, where_width))
        parts.append(Text())
    parts.append(_text("! must be sent   ? null is let through   a limit with no word behind it runs", "dim"))
    return Group(*parts)


def _headline(endpoint: Endpoint) -> Text:
    handler = endpoint.handler
    return Text.assemble(
        _text(f"{endpoint.method} {endpoint.path}", "bold"), "  ", _standing(endpoint.standing), "  ",
        _text(f"{handler.symbol} {handler.file}:{handler.line}", "dim"),
    )  # fmt: skip


def _standing(word: Standing) -> Text:
    return _text(word, STYLES[word])


def _fields(endpoint: Endpoint, name_width: int, type_width: int, where_width: int) -> Padding:
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, 2, 0, 0))
    table.add_column(width=8, no_wrap=True)
    table.add_column(width=name_width, overflow="fold")
    table.add_column(width=type_width, no_wrap=True)
    table.add_column(width=10, no_wrap=True)
    table.add_column(ratio=1, overflow="fold")
    table.add_column(width=where_width, overflow="fold", style="dim")
    table.expand = True
    for field in endpoint.fields:
        limits = Text("; ").join(
            _text(phrases.constraint(c), "" if c.status == "runs" else STYLES.get(_LIMIT.get(c.status, ""), ""))
            for c in field.constraints
        )
        table.add_row(_text(field.place, "dim"), _text(field.path), _text(phrases.type_of(field)),
                      _standing(field.standing), limits,
                      _text(phrases.shortened(phrases.place(field.declared), where_width)))  # fmt: skip
    return Padding(table, (0, 0, 0, 2))


_LIMIT = {"idle": "idle", "breaks": "leaky", "leaks": "leaky", "unknown": "unknown"}


# --- gaps -------------------------------------------------------------------------------------------------------------


def gaps(inventory: Inventory) -> RenderableType:
    """The report: a block a gap, the worst first; the same fault on several endpoints is one block."""
    parts: list[RenderableType] = []
    for gap, also in _collapsed(inventory.gaps):
        parts += [_block(gap, also), Text()]
    by = Counter(g.severity for g in inventory.gaps)
    if inventory.gaps:
        counts = ", ".join(f"{by[s]} {s}" for s in ("high", "medium", "low") if by[s])
        parts.append(_text(f"{_plural(len(inventory.gaps), 'gap')}: {counts}", "bold"))
    else:
        parts.append(_text(f"no gaps in {_plural(len(inventory.endpoints), 'endpoint')}", "green"))
    return Group(*parts)


def _collapsed(found: Iterable[Gap]) -> Iterator[tuple[Gap, list[Gap]]]:
    """Yield each fault once, with the gaps that are the same fault on other endpoints."""
    same: dict[tuple[str, str, int, str], list[Gap]] = {}
    for gap in found:
        same.setdefault((gap.kind, gap.where.file, gap.where.line, gap.why), []).append(gap)
    for group in same.values():
        yield group[0], group[1:]


def _block(gap: Gap, also: list[Gap]) -> Group:
    about = f"{gap.place} {gap.field}" if gap.field and gap.place else ""
    head = Text.assemble(
        _text(f"{gap.severity:<7}", STYLES[gap.severity]), _text(f"{gap.kind}  ", "bold"), _text(gap.endpoint or ""),
        "  ", _text(about, "cyan"),
    )  # fmt: skip
    place = Text.assemble(_text(phrases.place(gap.where), "dim"), "  ", _text(gap.where.text or "", "dim italic"))
    lines: list[RenderableType] = [place, _text(gap.why), Text.assemble(_text("fix  ", "green"), _text(gap.fix))]
    if also:
        others = sorted({g.endpoint or "" for g in also} - {gap.endpoint})
        shown = ", ".join(others[:3]) + (f" and {len(others) - 3} more" if len(others) > 3 else "")
        if others:
            lines.append(_text(f"also on {shown}", "dim"))
    return Group(head, Padding(Group(*lines), (0, 0, 0, 7)))


# --- pages and printing -----------------------------------------------------------------------------------------------


def page(text: str) -> RenderableType:
    """A Markdown page of Mappu's own."""
    return Markdown(text, code_theme="ansi_dark", hyperlinks=False)


def show(renderable: RenderableType, width: int | None = None) -> None:
    """Print to standard output: coloured to a terminal that wants it, plain and without trailing blanks into a pipe."""
    out = console(width)
    if out.is_terminal:
        out.print(renderable)
        return
    with out.capture() as captured:
        out.print(renderable)
    sys.stdout.write("".join(f"{line.rstrip()}\n" for line in captured.get().splitlines()))


def console(width: int | None = None) -> Console:
    """The console for standard output."""
    return Console(width=width, highlight=False, emoji=False, soft_wrap=False)
