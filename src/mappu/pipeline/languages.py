"""The languages Mappu reads: each is a front end and a way of finding names across files."""

from collections.abc import Callable

import msgspec

from mappu.sources.walk import Tree
from mappu.symbols.go import GoNames
from mappu.symbols.java import JavaNames
from mappu.symbols.javascript import JavaScriptNames
from mappu.symbols.names import Finder
from mappu.symbols.python import PythonNames
from mappu.symbols.scopes import Scope
from mappu.syntax import go, java, javascript, python
from mappu.syntax.nodes import Expr, FrontEnd
from mappu.vocabularies.base_types_javascript import erased
from mappu.vocabularies.shape import Reader, Shape


class Language(msgspec.Struct, frozen=True):
    """A front end with its finder of files."""

    front_end: FrontEnd
    names: Callable[[Tree], Finder]
    # The fields of types that only the compiler sees.
    erased: Callable[[Reader, Expr, Scope], Shape] | None = None


LANGUAGES: tuple[Language, ...] = (
    Language(go.front_end, GoNames),
    Language(java.front_end, JavaNames),
    Language(javascript.front_end, JavaScriptNames, erased),
    Language(python.front_end, PythonNames),
)
