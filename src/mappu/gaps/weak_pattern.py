"""Patterns that let other text around them, or that can backtrack without end."""

import re
import warnings
from collections.abc import Iterator
from functools import cache
from typing import Any

from mappu.gaps.base import gap_on
from mappu.inventory.model import Constraint, Gap
from mappu.pipeline.evidence import Scan

kind = "weak-pattern"


# Methods that plainly ask for the beginning or the end of a text.
_ASKS_A_PART = re.compile(r"\.(?:startsWith|endsWith|startswith|endswith)\(")


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        for found in route.fields:
            # A pattern put together at run time is only known by its source.
            unknown = {r.declared for r in found.shape.rules if not r.known}
            for constraint in found.field.constraints:
                if (
                    constraint.kind == "pattern"
                    and constraint.declared not in unknown
                    and isinstance(constraint.value, str)
                    and not _ASKS_A_PART.search(constraint.declared.text or "")
                ):
                    yield from (
                        gap_on(kind, route, found, constraint.declared, why, fix) for why, fix in _faults(constraint)
                    )


def _faults(constraint: Constraint) -> Iterator[tuple[str, str]]:
    pattern = str(constraint.value)
    open_ends = _open_ends(pattern)
    if open_ends is not None:
        why = f"the pattern {pattern!r} is searched for, not matched against the whole: {open_ends}"
        yield why, "anchor it: `^` before and `$` behind"
    by = constraint.run_by
    # The binder's own engine never backtracks; the language's does.
    if by is not None and by.what.endswith("by hand") and _backtracks(pattern):
        why = f"the pattern {pattern!r} repeats a repetition: a long value that nearly matches can take for ever"
        yield why, "rewrite it so that no repetition stands inside another"


def _open_ends(pattern: str) -> str | None:
    """Say which end is open; None where both are anchored, or where it plainly asks for a part only."""
    start = _every_branch(pattern, lambda p: p.startswith(("^", r"\A", "(?i)^", "(^")))
    end = _every_branch(pattern, lambda p: p.endswith((r"\Z", r"\z", "$", "$)")) and not p.endswith(r"\$"))
    if start and end:
        return None
    if not start and not end and (_single_class(pattern) or "(?=" in pattern or "(?!" in pattern):
        return None
    if start:
        return "any text may follow it" if not pattern.endswith((".*", ".+")) else None
    return "any text may stand before it" if end else "any text may stand before and behind it"


def _every_branch(pattern: str, test: Any) -> bool:
    if test(pattern) and "|" not in pattern:
        return True
    depth, branches, current = 0, [], ""
    for i, char in enumerate(pattern):
        escaped = i > 0 and pattern[i - 1] == "\\"
        if not escaped:
            depth += (char in "([") - (char in ")]")
        if char == "|" and depth == 0:
            branches.append(current)
            current = ""
        else:
            current += char
    return all(test(b) for b in (*branches, current))


def _single_class(pattern: str) -> bool:
    """A lone character or class, as in "must hold a digit", is meant to be searched for."""
    return re.fullmatch(r"\\?.|\[[^\]]+\]", pattern) is not None


@cache
def _backtracks(pattern: str) -> bool:
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return _nested(re._parser.parse(pattern), False)  # type: ignore[attr-defined]
    except (re.error, OverflowError, RecursionError):
        return False


def _nested(parsed: Any, inside: bool) -> bool:
    for op, argument in parsed:
        name = str(op)
        if name in ("MAX_REPEAT", "MIN_REPEAT"):
            _, most, inner = argument
            endless = most == re._constants.MAXREPEAT  # type: ignore[attr-defined]
            if (endless and inside and len(parsed) == 1) or _nested(inner, endless):
                return True
        elif (name == "SUBPATTERN" and _nested(argument[3], inside)) or (
            name == "BRANCH" and any(_nested(b, inside) for b in argument[1])
        ):
            return True
    return False
