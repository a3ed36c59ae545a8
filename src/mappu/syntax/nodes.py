"""The neutral tree: one set of nodes for every language.

A decorator, an annotation, an attribute and a struct tag are all a `Mark`; a schema chain is a chain of `Call`s; an
early return is an `If` whose branch ends in a `Leave`. docs/architecture.md shows the same handler in seven languages
held by these nodes. A function's body is lowered when it is first asked for.
"""

from collections.abc import Callable
from typing import Literal as Word
from typing import TypeAlias

import msgspec

from mappu.inventory.model import Place

# As much of the source of a place as is kept.
MAX_TEXT = 160


class Span(msgspec.Struct, frozen=True, gc=False):
    """Where a node stands: its 1-based first line, and its byte range in the file."""

    line: int
    start: int
    end: int


class Node(msgspec.Struct, frozen=True):
    """Base of all nodes."""

    span: Span

    @property
    def line(self) -> int:
        return self.span.line


# --- expressions ------------------------------------------------------------------------------------------------------


class Name(Node, frozen=True):
    """A bare name."""

    id: str


class Member(Node, frozen=True):
    """`value.name`, and the same in other spellings (`->`, `::`); `safe` where nothing happens if there is no value (`?.`)."""

    value: "Expr"
    name: str
    safe: bool = False


class Index(Node, frozen=True):
    """`value[index]`; also a generic type with its arguments, which are then an `Items` when there are several."""

    value: "Expr"
    index: "Expr"


class Arg(msgspec.Struct, frozen=True):
    """One argument: named or not, or spread (`*x`, `**x`, `...x`)."""

    value: "Expr"
    name: str | None = None
    spread: bool = False


class Call(Node, frozen=True):
    """A call, a construction (`new X()`) and a macro call."""

    func: "Expr"
    args: tuple[Arg, ...]

    def keyword(self, name: str) -> "Expr | None":
        """Return the value of the argument called `name`, or None."""
        return next((a.value for a in self.args if a.name == name), None)

    @property
    def positional(self) -> tuple["Expr", ...]:
        """The values of the arguments given by position, up to the first spread one."""
        found = []
        for arg in self.args:
            if arg.spread and arg.name is None:
                break
            if arg.name is None:
                found.append(arg.value)
        return tuple(found)

    def argument(self, position: int, name: str) -> "Expr | None":
        """Return the argument given by `name`, else the one at `position`, else None."""
        found = self.keyword(name)
        if found is None and position < len(self.positional):
            return self.positional[position]
        return found


LiteralValue: TypeAlias = str | int | float | bool | bytes | None


class Literal(Node, frozen=True):
    """A constant; `...` and the like are an `Opaque`."""

    value: LiteralValue


class Template(Node, frozen=True):
    """Text with expressions in it."""

    parts: tuple["Expr", ...]


class Items(Node, frozen=True):
    """A list, tuple or set written out."""

    kind: Word["list", "tuple", "set"]
    items: tuple["Expr", ...]


class Entries(Node, frozen=True):
    """A map or object written out; a None key is a spread of the value. As a target it takes an object apart: a key to the
    name that gets it, which is a `Bind` where there is a default."""

    entries: tuple[tuple["Expr | None", "Expr"], ...]


class Unary(Node, frozen=True):
    """`not x`, `-x`; also `*x` as `spread`, `yield x`, `del x`, the `typeof` of a value, and `absent x`, which is true where
    there is no value at all."""

    op: str
    value: "Expr"


class Binary(Node, frozen=True):
    """Two operands; operators are spelt `and or == != < <= > >= in not-in is is-not is-a + - * / | &` in every language."""

    op: str
    left: "Expr"
    right: "Expr"


class Choice(Node, frozen=True):
    """`then if test else other`."""

    test: "Expr"
    then: "Expr"
    other: "Expr"


class Comprehension(Node, frozen=True):
    """Elements made by looping: `[element for target in over if tests]`. A map's element is a two-item tuple."""

    kind: Word["list", "set", "map", "generator"]
    element: "Expr"
    loops: tuple[tuple["Expr", "Expr"], ...]
    tests: tuple["Expr", ...]


class Bind(Node, frozen=True):
    """An assignment used as a value (`x := value`)."""

    target: "Expr"
    value: "Expr"


class Opaque(Node, frozen=True):
    """Something the tree has no word for. `text` is its source."""

    text: str


# --- statements -------------------------------------------------------------------------------------------------------


class Do(Node, frozen=True):
    """An expression for its effect."""

    value: "Expr"


class Assign(Node, frozen=True):
    """`targets = value`; `op` is set for `+=` and the like. `declares` is False where the names are plainly declared before."""

    targets: tuple["Expr", ...]
    value: "Expr"
    op: str | None = None
    declares: bool = True


class Mark(Node, frozen=True):
    """Something written beside a declaration that may mean a rule: decorator, annotation, attribute, tag, doc tag. `site` is
    what it is put on, where one declaration is several things at once."""

    name: "Expr"
    args: tuple[Arg, ...] | None
    form: Word["decorator", "annotation", "attribute", "tag", "doc"] = "decorator"
    site: str | None = None

    def as_call(self) -> Call:
        """The mark read as a call of its name."""
        return Call(self.span, self.name, self.args or ())


class Variable(Node, frozen=True):
    """A declared variable, class field, property, struct field or record component."""

    name: str
    type: "Expr | None"
    value: "Expr | None"
    marks: tuple[Mark, ...] = ()


class Param(Node, frozen=True):
    """A parameter. `kind` tells the collecting ones apart."""

    name: str
    type: "Expr | None" = None
    default: "Expr | None" = None
    marks: tuple[Mark, ...] = ()
    kind: Word["plain", "rest", "named-rest"] = "plain"


class If(Node, frozen=True):
    """A condition with its two branches; a failed assertion is one whose branch raises."""

    test: "Expr"
    then: tuple["Stmt", ...]
    other: tuple["Stmt", ...]


class Loop(Node, frozen=True):
    """`for target in over` or `while test`."""

    target: "Expr | None"
    over: "Expr | None"
    test: "Expr | None"
    body: tuple["Stmt", ...]
    other: tuple["Stmt", ...] = ()


class Leave(Node, frozen=True):
    """What ends a path: return, raise, break, continue."""

    kind: Word["return", "raise", "break", "continue"]
    value: "Expr | None"


class Catch(Node, frozen=True):
    """One handler of a `Try`; no types means everything."""

    types: tuple["Expr", ...]
    name: str | None
    body: tuple["Stmt", ...]


class Try(Node, frozen=True):
    """Statements with handlers for what they raise."""

    body: tuple["Stmt", ...]
    catches: tuple[Catch, ...]
    other: tuple["Stmt", ...]
    final: tuple["Stmt", ...]


class With(Node, frozen=True):
    """Statements run with resources open: (value, target or None)."""

    items: tuple[tuple["Expr", "Expr | None"], ...]
    body: tuple["Stmt", ...]


class Case(Node, frozen=True):
    """One arm of a `Switch`; no patterns means every other value."""

    patterns: tuple["Expr", ...]
    guard: "Expr | None"
    body: tuple["Stmt", ...]


class Switch(Node, frozen=True):
    """A choice by value."""

    subject: "Expr"
    cases: tuple[Case, ...]


class Import(Node, frozen=True):
    """Names brought in. `level` counts the dots of a relative import; name None brings in the module itself, `*` all.
    `only_type`: the compiler sees it, the running program does not."""

    module: str
    level: int
    name: str | None
    alias: str
    only_type: bool = False


class Export(Node, frozen=True):
    """A name that other files see, where that is not simply a name bound here. `default` is the main one; `=` stands for the
    whole of what a file gives away."""

    name: str
    value: "Expr"


class Lazy:
    """A body that is lowered when first asked for, and kept."""

    __slots__ = ("_lower", "_stmts")

    def __init__(self, lower: "Callable[[], tuple[Stmt, ...]]") -> None:
        self._lower: Callable[[], tuple[Stmt, ...]] | None = lower
        self._stmts: tuple[Stmt, ...] = ()

    def get(self) -> "tuple[Stmt, ...]":
        if self._lower is not None:
            self._stmts = self._lower()
            self._lower = None
        return self._stmts


class Function(Node, frozen=True, eq=False):
    """A function, method, closure or lambda (whose name is empty)."""

    name: str
    params: tuple[Param, ...]
    returns: "Expr | None"
    marks: tuple[Mark, ...]
    lazy: Lazy
    is_async: bool = False
    type_params: tuple[str, ...] = ()

    @property
    def body(self) -> "tuple[Stmt, ...]":
        return self.lazy.get()


class Class(Node, frozen=True, eq=False):
    """A class, struct, record, interface or enum with its members in order; a `part` holds members of one that is declared in
    another file."""

    name: str
    type_params: tuple[str, ...]
    bases: tuple[Arg, ...]
    marks: tuple[Mark, ...]
    lazy: Lazy
    form: Word["class", "interface", "enum", "part"] = "class"

    @property
    def body(self) -> "tuple[Stmt, ...]":
        return self.lazy.get()

    @property
    def methods(self) -> "tuple[Function, ...]":
        return tuple(s for s in self.body if isinstance(s, Function))


class Alias(Node, frozen=True):
    """A name declared for a type: `type X = …`."""

    name: str
    type_params: tuple[str, ...]
    value: "Expr"


Expr: TypeAlias = (
    Name | Member | Index | Call | Literal | Template | Items | Entries | Unary | Binary | Choice | Comprehension
    | Bind | Function | Opaque
)  # fmt: skip
Stmt: TypeAlias = (
    Do
    | Assign
    | Variable
    | If
    | Loop
    | Leave
    | Try
    | With
    | Switch
    | Import
    | Function
    | Class
    | Alias
    | Export
    | Opaque
)


class Damage(msgspec.Struct, frozen=True):
    """A part of a file that could not be read."""

    line: int
    what: str


class Module(msgspec.Struct, frozen=True, eq=False):
    """One file: its path relative to the scanned root, its bytes, its top-level statements, and its damage so far (more
    may come to light when bodies are lowered)."""

    path: str
    language: str
    source: bytes
    body: tuple[Stmt, ...]
    damage: list[Damage]

    def text(self, node: Node) -> str:
        """The node's source on one line, blanks folded."""
        raw = self.source[node.span.start : node.span.end].decode("utf-8", "replace")
        return " ".join(raw.split())

    def place(self, node: Node) -> Place:
        """Where a node stands, with the beginning of its source."""
        return Place(self.path, node.line, self.text(node)[:MAX_TEXT])

    def line_text(self, line: int) -> str:
        """The source line with that number, stripped."""
        lines = self.source.splitlines()
        return lines[line - 1].decode("utf-8", "replace").strip() if 0 < line <= len(lines) else ""


class FrontEnd(msgspec.Struct, frozen=True):
    """What a language brings: its file endings and how bytes become a Module."""

    language: str
    suffixes: tuple[str, ...]
    parse: Callable[[str, bytes], Module]
    expression: Callable[[str, Span], Expr]
