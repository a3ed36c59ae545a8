"""The languages Mappu reads: each is a front end and a way of finding names across files."""

from types import ModuleType

import msgspec

from mappu.symbols import python as python_names
from mappu.syntax import python
from mappu.syntax.nodes import FrontEnd


class Language(msgspec.Struct, frozen=True):
    """A front end with its name resolver."""

    front_end: FrontEnd
    names: ModuleType


LANGUAGES: tuple[Language, ...] = (Language(python.front_end, python_names),)
