"""Everything Mappu raises on purpose.

MappuError
├── UsageError       what was asked for cannot be done: no such path, no such kind
│   └── SettingsError    the settings file says something that cannot be understood
└── FormatError      an inventory file that is not one
"""

import difflib
from collections.abc import Iterable


class MappuError(Exception):
    """Base of all errors meant for the user; the message is one line and says what to do."""


class UsageError(MappuError):
    """What was asked for cannot be done."""


class SettingsError(UsageError):
    """The settings file cannot be understood. The message names the file and the key."""


class FormatError(MappuError):
    """A file offered as an inventory is not one."""


def nearest(word: str, known: Iterable[str]) -> str:
    """Return " Did you mean 'x'?" for the known word nearest to `word`, or "" where none is near."""
    found = difflib.get_close_matches(word, list(known), n=1, cutoff=0.5)
    return f" Did you mean {found[0]!r}?" if found else ""
