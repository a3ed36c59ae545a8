"""Scopes: the names bound in a module, class or function, and what a name leads to."""

from collections.abc import Iterable, Iterator

import msgspec

from mappu.syntax import nodes as n

MAX_STEPS = 40

Binding = (
    n.Import | n.Function | n.Class | n.Variable | n.Assign | n.Alias | n.Param | n.Loop | n.With | n.Bind
)  # fmt: skip


class Scope:
    """The names bound in a module, class or function. Compared by identity."""

    __slots__ = ("_exports", "_names", "_stars", "module", "owner", "parent")

    def __init__(
        self, module: n.Module, owner: n.Function | n.Class | None = None, parent: "Scope | None" = None
    ) -> None:
        self.module, self.owner, self.parent = module, owner, parent
        self._names: dict[str, list[Binding]] | None = None
        self._stars: list[n.Import] = []
        self._exports: dict[str, n.Export] = {}

    @property
    def names(self) -> dict[str, list[Binding]]:
        """Every name bound here, with its bindings in source order."""
        if self._names is None:
            self._names = {}
            if isinstance(self.owner, n.Function):
                for param in self.owner.params:
                    self._names.setdefault(param.name, []).append(param)
            self._collect(self.owner.body if self.owner is not None else self.module.body)
        return self._names

    @property
    def stars(self) -> list[n.Import]:
        """The `import *` statements here."""
        return self._stars if self.names is not None else []

    @property
    def exports(self) -> dict[str, n.Export]:
        """What other files see under a name that is not simply bound here."""
        return self._exports if self.names is not None else {}

    def _bind(self, target: n.Expr, binding: Binding) -> None:
        assert self._names is not None
        if isinstance(target, n.Name):
            self._names.setdefault(target.id, []).append(binding)
        elif isinstance(target, n.Items):
            for item in target.items:
                self._bind(item, binding)
        elif isinstance(target, n.Entries):
            for _, inner in target.entries:
                self._bind(inner, binding)
        elif isinstance(target, n.Bind):
            self._bind(target.target, binding)

    def _collect(self, stmts: Iterable[n.Stmt]) -> None:
        assert self._names is not None
        for stmt in stmts:
            match stmt:
                case n.Import(name="*"):
                    self._stars.append(stmt)
                case n.Export(name=name):
                    self._exports.setdefault(name, stmt)
                case n.Import(alias=name) | n.Variable(name=name) | n.Alias(name=name):
                    self._names.setdefault(name, []).append(stmt)
                case n.Class(form="part"):
                    # Its name is bound where it is declared.
                    continue
                case n.Function(name=name) | n.Class(name=name):
                    self._names.setdefault(name, []).append(stmt)
                case n.Assign(targets=targets, declares=True):
                    for target in targets:
                        self._bind(target, stmt)
                case n.If(then=then, other=other):
                    self._collect(then)
                    self._collect(other)
                case n.Loop(target=loop_target, body=body, other=other):
                    if loop_target is not None:
                        self._bind(loop_target, stmt)
                    self._collect(body)
                    self._collect(other)
                case n.Try(body=body, catches=catches, other=other, final=final):
                    self._collect(body)
                    for catch in catches:
                        self._collect(catch.body)
                    self._collect(other)
                    self._collect(final)
                case n.With(items=items, body=body):
                    for _, opened in items:
                        if opened is not None:
                            self._bind(opened, stmt)
                    self._collect(body)
                case n.Switch(cases=cases):
                    for case in cases:
                        self._collect(case.body)


class Target(msgspec.Struct, frozen=True, eq=False):
    """What a name leads to. `name` is its full dotted name. `node` and `scope` (where the node stands) are None for
    what lies outside the scanned source; a module of the service has a scope and no node."""

    name: str
    node: n.Function | n.Class | n.Variable | n.Assign | n.Alias | n.Param | n.Loop | n.With | n.Bind | None = None
    scope: Scope | None = None

    @property
    def is_module(self) -> bool:
        return self.node is None and self.scope is not None


def declared(body: Iterable[n.Stmt]) -> Iterator[n.Function | n.Class]:
    """Yield the functions and classes declared in a body, also below its ifs, tries and loops."""
    for stmt in body:
        match stmt:
            case n.Function() | n.Class():
                yield stmt
            case n.If(then=then, other=other):
                yield from declared(then)
                yield from declared(other)
            case n.Try(body=inner, catches=catches, other=other, final=final):
                for part in (inner, *(c.body for c in catches), other, final):
                    yield from declared(part)
            case n.With(body=inner) | n.Loop(body=inner):
                yield from declared(inner)
