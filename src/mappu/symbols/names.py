"""Modules, names, members and types across files."""

import re
from collections.abc import Callable, Container, Iterable, Iterator
from typing import Protocol

from mappu.symbols import class_names
from mappu.symbols.scopes import MAX_STEPS, Binding, Scope, Target, declared
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own, walk

# Bases that bring no members of their own worth following.
_NO_MEMBERS = frozenset({"object", "typing.Generic", "abc.ABC", "typing.Protocol"})
_WRAPPERS = frozenset({"Optional", "Annotated", "ClassVar", "Final", "Promise", "Readonly", "NonNullable", "*"})
# A method called to get the function itself, tied to its object.
_TIED = "bind"

Loader = Callable[[str], n.Module | None]


class Finder(Protocol):
    """How a language finds files: one class a language, made for the tree that is scanned. `builtins` are the names known
    without an import; `receiver` is the word for a method's own object, None where that is the first parameter. `by_class`
    where a dotted name leads to what it names, whatever file that is in; such a finder is a `ClassFinder`. `sees_members` where
    a method sees the members of its class by their bare names. `models` finds the names of what may be a model, in a file's
    bytes."""

    builtins: frozenset[str]
    receiver: str | None
    by_class: bool
    sees_members: bool
    models: re.Pattern[bytes]

    def own_files(self, paths: Iterable[str]) -> list[str]:
        """Return the files that people wrote."""

    def locate(self, files: Container[str], importer: str, module: str, level: int) -> str | None:
        """Return the file that importing `module` in `importer` brings, or None where it is outside."""

    def module_name(self, files: Container[str], path: str) -> str:
        """Return the name a file is known by in the names of what it holds."""


class ClassFinder(Finder, Protocol):
    """A finder of a language whose dotted names lead to classes. `structural` where a class is of an interface by its methods
    alone."""

    structural: bool

    def in_package(self, package: str, name: str) -> bool | None:
        """True where a package outside the scan holds a class of that name, None where its classes are not known."""

    def implementers(self, interface: n.Class, path: str) -> list[str]:
        """Return the full names of the classes that implement an interface of a file, as far as their names tell."""

    def parts(self, name: str) -> list[str]:
        """Return the files that hold more members of the class of that full name."""


class Names:
    """All modules of one scan, loaded on demand through `loader`; `files` tells which paths exist."""

    def __init__(self, files: dict[str, object], loader: Loader, finder: Finder) -> None:
        self.files = files
        self._loader = loader
        self.finder = finder
        self._scopes: dict[str, Scope | None] = {}
        self._inner: dict[tuple[int, int], Scope] = {}
        self._resolved: dict[tuple[str, int], Target | None] = {}
        self._located: dict[tuple[str, str, int], str | None] = {}
        self._ancestries: dict[tuple[str, int], list[Target]] = {}
        self._set_members: dict[tuple[int, str], tuple[n.Assign, Scope] | None] = {}
        self._module_names: dict[str, str] = {}
        self._exported: dict[tuple[int, str], Target | None] = {}

    @property
    def receiver(self) -> str | None:
        """The word for a method's own object; None where that is its first parameter."""
        return self.finder.receiver

    @property
    def models(self) -> re.Pattern[bytes]:
        """Finds the names of what may be a model, in a file's bytes."""
        return self.finder.models

    # --- modules and scopes -------------------------------------------------------------------------------------------

    def module_scope(self, path: str) -> Scope | None:
        """Return the scope of the file, loading it first; None where it cannot be read."""
        if path not in self._scopes:
            module = self._loader(path)
            self._scopes[path] = Scope(module) if module is not None else None
        return self._scopes[path]

    def locate(self, importer: str, module: str, level: int) -> str | None:
        key = (importer, module, level)
        if key not in self._located:
            self._located[key] = self.finder.locate(self.files, *key)
        return self._located[key]

    def scope_of(self, owner: n.Function | n.Class, parent: Scope) -> Scope:
        """Return the scope inside a function or class that stands in `parent`."""
        key = (id(owner), id(parent))
        if key not in self._inner:
            self._inner[key] = Scope(parent.module, owner, parent)
        return self._inner[key]

    def functions(self, scope: Scope, words: tuple[bytes, ...] = ()) -> Iterator[tuple[n.Function, Scope]]:
        """Yield every function in the scope and below, with the scope it stands in; with `words` only those whose source
        holds one of them."""
        owner = scope.owner
        body = owner.body if owner is not None else scope.module.body
        source = scope.module.source
        for node in declared(body):
            whole = self.finder.by_class and isinstance(node, n.Class)
            if words and not whole and all(source.find(w, node.span.start, node.span.end) < 0 for w in words):
                continue
            if isinstance(node, n.Function):
                yield node, scope
            yield from self.functions(self.scope_of(node, scope), words)

    def calls(
        self, scope: Scope, body: Iterable[n.Stmt | n.Expr], words: re.Pattern[bytes] | None = None
    ) -> Iterator[tuple[n.Call, Scope]]:
        """Yield every call in a body and in the functions inside, with the scope it stands in; with `words` only of functions
        whose source holds one of them."""
        source = scope.module.source
        for node in own(*body, classes=False):
            if isinstance(node, n.Function | n.Class):
                # The methods of a class may stand outside it.
                if words is None or isinstance(node, n.Class) or words.search(source, node.span.start, node.span.end):
                    yield from self.calls(self.scope_of(node, scope), node.body, words)
            elif isinstance(node, n.Call):
                yield node, scope

    def full_name(self, scope: Scope, name: str) -> str:
        """The dotted name of something bound in `scope`."""
        parts = [name]
        at: Scope | None = scope
        while at is not None and at.owner is not None:
            parts.append(at.owner.name)
            at = at.parent
        path = scope.module.path
        if path not in self._module_names:
            self._module_names[path] = self.finder.module_name(self.files, path)
        parts.append(self._module_names[path])
        return ".".join(reversed(parts))

    # --- names --------------------------------------------------------------------------------------------------------

    def lookup(self, name: str, scope: Scope) -> tuple[list[Binding], Scope] | None:
        """Return the bindings of a bare name seen from `scope`, and the scope that holds them."""
        at: Scope | None = scope
        while at is not None:
            # Some languages do not see a class body's names from inside its methods.
            inside = at is scope and not self.finder.by_class
            seen = self.finder.sees_members or not isinstance(at.owner, n.Class) or inside
            if seen and name in at.names:
                return at.names[name], at
            at = at.parent
        return None

    def resolve(self, expr: n.Expr | None, scope: Scope, steps: int = 0) -> Target | None:
        """Return what an expression names, following imports, re-exports and plain aliases; None if it names nothing
        that can be told."""
        if steps > MAX_STEPS:
            return None
        if isinstance(expr, n.Name):
            return self._resolve_name(expr.id, scope, steps)
        if isinstance(expr, n.Member):
            # `Made(…).method`: a member of what the call makes.
            called = expr.value.func if isinstance(expr.value, n.Call) else expr.value
            base = self.resolve(called, scope, steps + 1)
            if called is not expr.value and not (base is not None and isinstance(base.node, n.Class)):
                return None
            if base is None and self.finder.by_class and expr.name[:1].isupper():
                # A class by its full name.
                full = dotted(expr)
                return class_names.by_name(self, scope.module.path, full, steps + 1) if full is not None else None
            return self.member(base, expr.name, steps + 1) if base is not None else None
        if isinstance(expr, n.Call) and isinstance(expr.func, n.Member) and expr.func.name == _TIED:
            return self.resolve(expr.func.value, scope, steps + 1)
        return None

    def name_of(self, expr: n.Expr | None, scope: Scope) -> str | None:
        """The full dotted name of what an expression names, or None."""
        found = self.resolve(expr, scope)
        return found.name if found is not None else None

    def _resolve_name(self, name: str, scope: Scope, steps: int) -> Target | None:
        # A name means the same wherever in its scope it is asked for; the same few are asked for again and again.
        key = (name, id(scope))
        if key not in self._resolved:
            self._resolved[key] = None
            self._resolved[key] = self._find_name(name, scope, steps)
        return self._resolved[key]

    def _find_name(self, name: str, scope: Scope, steps: int) -> Target | None:
        if name == self.finder.receiver:
            return self.around(scope)
        found = self.lookup(name, scope)
        if found is None and self.finder.by_class:
            return class_names.find(self, name, scope, steps)
        if found is None:
            return self._from_stars(name, scope, steps) or (Target(name) if name in self.finder.builtins else None)
        bindings, holder = found
        return self.target(bindings, name, holder, steps)

    def method(self, target: Target, count: int) -> Target:
        """The method that a call with so many arguments calls."""
        return class_names.method(self, target, count) if self.finder.by_class else target

    def by_name(self, full: str, scope: Scope) -> Target:
        """What a full dotted name leads to, in languages where one does."""
        return class_names.by_name(self, scope.module.path, full)

    def around(self, scope: Scope) -> Target | None:
        """The class whose method this scope is in."""
        at: Scope | None = scope
        while at is not None and at.parent is not None:
            if isinstance(at.owner, n.Class):
                return Target(self.full_name(at.parent, at.owner.name), at.owner, at.parent)
            at = at.parent
        return None

    def target(self, bindings: list[Binding], name: str, holder: Scope, steps: int) -> Target | None:
        # The same name may be bound in both arms of a version check: the first arm that leads into the source is taken.
        outside: Target | None = None
        for binding in bindings:
            if isinstance(binding, n.Import):
                target = self._imported(binding, holder, steps)
            elif len(bindings) == 1 and (alias := _alias_of(binding, name)) is not None:
                target = self.resolve(alias, holder, steps + 1)
                if target is None or isinstance(target.node, n.Param):
                    target = Target(self.full_name(holder, name), binding, holder)
            else:
                last = bindings[-1] if isinstance(binding, n.Function | n.Class) else binding
                target = Target(self.full_name(holder, name), binding if isinstance(last, n.Import) else last, holder)
            if target is not None and target.scope is not None:
                return target
            outside = outside or target
        return outside

    def _from_stars(self, name: str, scope: Scope, steps: int) -> Target | None:
        top = scope
        while top.parent is not None:
            top = top.parent
        for star in top.stars if steps <= MAX_STEPS else ():
            path = self.locate(top.module.path, star.module, star.level)
            inner = self.module_scope(path) if path is not None else None
            if inner is None:
                if name not in self.finder.builtins:
                    return Target(f"{star.module}.{name}")
                continue
            if name in inner.names:
                return self.target(inner.names[name], name, inner, steps + 1)
            found = self._from_stars(name, inner, steps + 1)
            if found is not None:
                return found
        return None

    def _imported(self, binding: n.Import, holder: Scope, steps: int) -> Target | None:
        importer = holder.module.path
        if self.finder.by_class and binding.name is not None:
            return class_names.by_name(self, importer, f"{binding.module}.{binding.name}".lstrip("."), steps)
        path = self.locate(importer, binding.module, binding.level)
        if binding.name is None:
            inner = self.module_scope(path) if path is not None else None
            whole = self._export(inner, "=", steps) if inner is not None else None
            return whole or Target(binding.module, None, inner)
        inner = self.module_scope(path) if path is not None and path != importer else None
        if inner is not None:
            given = self._given_away(inner, binding.name, steps)
            if given is not None:
                return given
            if binding.name in inner.names and steps <= MAX_STEPS:
                return self.target(inner.names[binding.name], binding.name, inner, steps + 1)
            found = self._from_stars(binding.name, inner, steps + 1)
            if found is not None:
                return found
        if binding.name == "default":
            # A package's main thing goes by the package's name.
            return Target(binding.module, None, inner)
        below = f"{binding.module}.{binding.name}" if binding.module else binding.name
        path = self.locate(importer, below, binding.level)
        inner = self.module_scope(path) if path is not None else None
        return Target(below, None, inner)

    def _given_away(self, scope: Scope, name: str, steps: int) -> Target | None:
        """What a file gives away under a name: exported so, or a member of the whole that it gives away."""
        found = self._export(scope, name, steps)
        if found is not None or "=" not in scope.exports:
            return found
        whole = self._export(scope, "=", steps)
        return whole if name == "default" or whole is None else self.member(whole, name, steps + 1)

    def _export(self, scope: Scope, name: str, steps: int) -> Target | None:
        given = scope.exports.get(name)
        if given is None or steps > MAX_STEPS:
            return None
        key = (id(scope), name)
        if key not in self._exported:
            self._exported[key] = None
            self._exported[key] = self._held(given.value, scope, self.full_name(scope, name), steps)
        return self._exported[key]

    def _held(self, value: n.Expr, scope: Scope, name: str, steps: int) -> Target:
        """What a value written there is: a function, what it names, or a value kept under that name."""
        if isinstance(value, n.Function):
            return Target(name, value, scope)
        named = self.resolve(value, scope, steps + 1) if not isinstance(value, n.Call) else None
        return named or Target(name, n.Variable(value.span, name.rpartition(".")[2], None, value), scope)

    def _entry(self, target: Target, name: str, steps: int) -> Target | None:
        """The member of an object written out behind a name."""
        node, scope = target.node, target.scope
        if not isinstance(node, n.Variable | n.Assign) or scope is None or node.value is None:
            return None
        written = given_to(node, target.name.rpartition(".")[2])
        if isinstance(written, n.Call) and len(written.args) == 1 and isinstance(written.args[0].value, n.Entries):
            # Made from an object written out, by a function that knows its members: they are what is called in the end.
            written = written.args[0].value
        for key, value in written.entries if isinstance(written, n.Entries) else ():
            if key is None:
                spread = self.resolve(value, scope, steps + 1)
                found = self.member(spread, name, steps + 1) if spread is not None else None
                if found is not None and found.scope is not None:
                    return found
            elif isinstance(key, n.Literal) and key.value == name:
                entry = (id(value), name)
                if entry not in self._exported:
                    self._exported[entry] = self._held(value, scope, f"{target.name}.{name}", steps)
                return self._exported[entry]
        return None

    def member(self, base: Target, name: str, steps: int = 0) -> Target | None:
        """Return what `base.name` is: in a module, a class with its bases, an instance, or a package outside."""
        if steps > MAX_STEPS:
            return None
        if base.is_module:
            assert base.scope is not None
            if self.finder.by_class:
                return class_names.by_name(self, base.scope.module.path, f"{base.name}.{name}", steps)
            found = self._given_away(base.scope, name, steps) or self._resolve_in(base.scope, name, steps)
            if found is not None:
                return found
            path = self.locate(base.scope.module.path, f"{base.name}.{name}", 0)
            inner = self.module_scope(path) if path is not None else None
            return Target(f"{base.name}.{name}", None, inner)
        if base.node is None:
            return Target(f"{base.name}.{name}")
        if isinstance(base.node, n.Class):
            return self._class_member(base, name, steps)
        if base.scope is not None and name in base.scope.exports and self._export(base.scope, "=", steps) is base:
            # What a file gives away as a whole, with more hung on it.
            return self._export(base.scope, name, steps)
        entry = self._entry(base, name, steps)
        if entry is not None:
            return entry
        made = self.class_of(base, steps + 1)
        if made is None:
            return None
        return self._class_member(made, name, steps) if made.node is not None else Target(f"{made.name}.{name}")

    def _resolve_in(self, scope: Scope, name: str, steps: int) -> Target | None:
        if name in scope.names:
            return self.target(scope.names[name], name, scope, steps + 1)
        return self._from_stars(name, scope, steps + 1)

    def _class_member(self, target: Target, name: str, steps: int) -> Target | None:
        lineage = self.ancestry(target)
        own = [a for a in lineage if isinstance(a.node, n.Class) and a.scope is not None]
        for ancestor in own:
            assert isinstance(ancestor.node, n.Class)
            assert ancestor.scope is not None
            inner = self.scope_of(ancestor.node, ancestor.scope)
            if name in inner.names:
                return self.target(inner.names[name], name, inner, steps + 1)
        for ancestor in own:
            found = self.set_on_self(ancestor, name)
            if found is not None:
                return found
        outside = next((a for a in lineage if a.node is None and a.name not in _NO_MEMBERS), None)
        return Target(f"{outside.name}.{name}") if outside is not None else None

    def set_on_self(self, target: Target, name: str) -> Target | None:
        """Find `self.name = value` (or `this.name = value`) in the methods of a class of the service."""
        if not isinstance(target.node, n.Class) or target.scope is None:
            return None
        key = (id(target.node), name)
        if key not in self._set_members:
            self._set_members[key] = self._assigned(target.node, self.scope_of(target.node, target.scope), name)
        found = self._set_members[key]
        return Target(f"{target.name}.{name}", *found) if found is not None else None

    def _assigned(self, class_: n.Class, inner: Scope, name: str) -> tuple[n.Assign, Scope] | None:
        source = inner.module.source
        for method in class_.methods:
            receiver = self.finder.receiver or (method.params[0].name if method.params else "")
            # Only a body that holds the words is worth lowering.
            if source.find(f"{receiver}.{name}".encode(), method.span.start, method.span.end) < 0:
                continue
            for stmt in walk(*method.body):
                if isinstance(stmt, n.Assign) and any(dotted(t) == f"{receiver}.{name}" for t in stmt.targets):
                    return stmt, self.scope_of(method, inner)
        return None

    # --- types and values ---------------------------------------------------------------------------------------------

    def class_of(self, target: Target, steps: int = 0) -> Target | None:
        """Return the class that a variable or parameter is an instance of, where its type or its making tells."""
        node, scope = target.node, target.scope
        if scope is None or steps > MAX_STEPS:
            return None
        if isinstance(node, n.Variable | n.Param) and node.type is not None:
            return self._class_named(node.type, scope, steps + 1)
        if isinstance(node, n.Param):
            return self._receiver(node, scope)
        value = node.value if isinstance(node, n.Variable | n.Assign) else None
        if isinstance(value, n.Unary) and value.op == "&":
            value = value.value
        if isinstance(node, n.Variable | n.Assign) and isinstance(value, n.Call):
            func = value.func.value if isinstance(value.func, n.Index) else value.func
            made = self.resolve(func, scope, steps + 1)
            if made is not None and isinstance(made.node, n.Function) and made.scope is not None:
                returns = _given_back(made.node.returns, node, target.name.rpartition(".")[2])
                found = self._class_named(returns, made.scope, steps + 1)
                if found is not None and isinstance(found.node, n.Class) and found.node.form == "interface":
                    # What it says it gives back is less than what it makes.
                    return class_names.made_by(self, made, steps + 1) or found
                return found
            if made is not None and (made.scope is None or isinstance(made.node, n.Class)):
                return made
        return None

    def _receiver(self, param: n.Param, scope: Scope) -> Target | None:
        """The class whose method's first parameter this is."""
        method, around = scope.owner, scope.parent
        if around is None or not isinstance(method, n.Function) or not isinstance(around.owner, n.Class):
            return None
        static = any(dotted(m.name) == "staticmethod" for m in method.marks)
        if static or around.parent is None or method.params[0] is not param:
            return None
        return Target(self.full_name(around.parent, around.owner.name), around.owner, around.parent)

    def _class_named(self, type_: n.Expr | None, scope: Scope, steps: int) -> Target | None:
        """The class a type annotation names, also behind aliases and wrappers; None for anything else."""
        found = self.resolve(_plain_type(type_), scope, steps + 1)
        if found is None or isinstance(found.node, n.Class) or found.scope is None:
            return found
        if (
            isinstance(found.node, n.Assign | n.Variable | n.Alias)
            and found.node.value is not None
            and steps < MAX_STEPS
        ):
            return self._class_named(found.node.value, found.scope, steps + 1)
        return None

    def ancestry(self, target: Target) -> list[Target]:
        """Return the class and what it inherits from, nearest first, each once."""
        key = (target.name, id(target.node))
        if key not in self._ancestries:
            found: dict[str, Target] = {}
            self._ancestry(target, found, 0)
            self._ancestries[key] = list(found.values())
        return self._ancestries[key]

    def _ancestry(self, target: Target, found: dict[str, Target], depth: int) -> None:
        # A base met again moves behind: the order then agrees with how diamonds are looked up.
        found.pop(target.name, None)
        found[target.name] = target
        for part in class_names.parts(self, target) if self.finder.by_class else ():
            assert part.scope is not None
            found[f"{part.name} in {part.scope.module.path}"] = part
        if isinstance(target.node, n.Class) and target.scope is not None and depth < MAX_STEPS:
            for arg in target.node.bases:
                value = _plain_type(arg.value) if isinstance(arg.value, n.Index) else arg.value
                base = self.resolve(value, target.scope) if arg.name is None else None
                if base is not None and base.name != target.name:
                    self._ancestry(base, found, depth + 1)

    def derives(self, target: Target, names: Iterable[str]) -> str | None:
        """Return the first of `names` that the class is or inherits from, or None."""
        wanted = frozenset(names)
        return next((a.name for a in self.ancestry(target) if a.name in wanted), None)


def _given_back(returns: n.Expr | None, node: n.Variable | n.Assign, name: str) -> n.Expr | None:
    """The type of what a name gets of a call's results."""
    if isinstance(returns, n.Items) and isinstance(node, n.Assign) and isinstance(node.targets[0], n.Items):
        names = [dotted(t) for t in node.targets[0].items]
        return returns.items[names.index(name)] if name in names[: len(returns.items)] else None
    return returns


def _alias_of(binding: Binding, name: str) -> n.Expr | None:
    """What a name is simply another name of."""
    if isinstance(binding, n.Assign) or (isinstance(binding, n.Variable) and binding.type is None):
        value = given_to(binding, name)
        tied = isinstance(value, n.Call) and isinstance(value.func, n.Member) and value.func.name == _TIED
        return value if isinstance(value, n.Name | n.Member) or tied else None
    return None


def given_to(node: n.Variable | n.Assign, name: str) -> n.Expr | None:
    """Return what a statement gives to a name: its value, or the part of it where several names are given at once."""
    if isinstance(node, n.Variable):
        return node.value
    for target in node.targets:
        if isinstance(target, n.Entries):
            return taken_from(target, node.value, name)
        if not isinstance(target, n.Items):
            return node.value
        names = [dotted(t) for t in target.items]
        parts = node.value.items if isinstance(node.value, n.Items) else ()
        if name in names and len(parts) == len(names):
            return parts[names.index(name)]
    return None


def taken_from(target: n.Entries, value: n.Expr, name: str) -> n.Expr | None:
    """Return what a name gets where an object is taken apart: the member that its key names."""
    for key, inner in target.entries:
        bound = inner.target if isinstance(inner, n.Bind) else inner
        if isinstance(key, n.Literal) and isinstance(key.value, str) and dotted(bound) == name:
            return n.Member(target.span, value, key.value)
    return None


def _plain_type(type_: n.Expr | None) -> n.Expr | None:
    """The class inside `X | None`, `Optional[X]` and `Annotated[X, …]`."""
    if isinstance(type_, n.Binary) and type_.op == "|":
        none = isinstance(type_.left, n.Literal)
        return _plain_type(type_.right if none else type_.left)
    if isinstance(type_, n.Index):
        name = dotted(type_.value) or ""
        if name.rpartition(".")[2] in _WRAPPERS:
            inner = type_.index.items[0] if isinstance(type_.index, n.Items) and type_.index.items else type_.index
            return _plain_type(inner)
        return type_.value
    return type_
