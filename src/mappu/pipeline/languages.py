"""The languages Mappu reads: each is a front end and a way of finding names across files."""

from collections.abc import Callable

import msgspec

from mappu.sources.walk import Tree
from mappu.symbols.javascript import JavaScriptNames
from mappu.symbols.names import Finder
from mappu.symbols.python import PythonNames
from mappu.syntax import javascript, python
from mappu.syntax.nodes import FrontEnd


class Language(msgspec.Struct, frozen=True):
    """A front end with its finder of files."""

    front_end: FrontEnd
    names: Callable[[Tree], Finder]


LANGUAGES: tuple[Language, ...] = (
    Language(javascript.front_end, JavaScriptNames),
    Language(python.front_end, PythonNames),
)
