"""Names in languages where a dotted name leads to a class, whatever file it is in."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, cast

from mappu.symbols.scopes import MAX_STEPS, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, own

if TYPE_CHECKING:
    from mappu.symbols.names import ClassFinder, Names


def find(names: Names, name: str, scope: Scope, steps: int) -> Target | None:
    """Return what a bare name is that nothing around binds: a member of a class above, or a class of a package."""
    inherited = _inherited(names, name, scope, steps) if names.finder.sees_members else None
    return inherited or _in_packages(names, name, scope, steps)


def _inherited(names: Names, name: str, scope: Scope, steps: int) -> Target | None:
    """A bare name that a class above the one around brings."""
    around = names.around(scope)
    lineage = names.ancestry(around)[1:] if around is not None and steps < MAX_STEPS else []
    for each in lineage:
        if isinstance(each.node, n.Class) and each.scope is not None:
            inner = names.scope_of(each.node, each.scope)
            if name in inner.names:
                return names.target(inner.names[name], name, inner, steps + 1)
    return None


def _in_packages(names: Names, name: str, scope: Scope, steps: int) -> Target | None:
    """A bare name that the file's own package, or one it imports as a whole, brings."""
    top = scope
    while top.parent is not None:
        top = top.parent
    finder = cast("ClassFinder", names.finder)
    stars, importer = top.stars, top.module.path
    for star in stars:
        if names.locate(importer, f"{star.module}.{name}", 0) is not None:
            return by_name(names, importer, f"{star.module}.{name}", steps + 1)
        base = names.locate(importer, star.module, 0)
        outer = by_name(names, importer, star.module, steps + 1) if base is not None else None
        inner = names.member(outer, name, steps + 1) if outer is not None else None
        if inner is not None and inner.scope is not None:
            return inner
    if not stars and names.locate(importer, name, 0) is not None:
        return by_name(names, importer, name, steps + 1)
    known = next((s for s in stars if finder.in_package(s.module, name)), None)
    if known is not None:
        return Target(f"{known.module}.{name}")
    if name in finder.builtins:
        return Target(name)
    # The first is the file's own package, whose files are all at hand.
    unknown = [s for s in stars[1:] if finder.in_package(s.module, name) is None]
    return Target(f"{unknown[0].module}.{name}") if len(unknown) == 1 and name[:1].isupper() else None


def by_name(names: Names, importer: str, full: str, steps: int = 0) -> Target:
    """Return the class (or the member of one) of a full dotted name."""
    outer, _, last = full.rpartition(".")
    path = names.locate(importer, full, 0)
    inner = names.module_scope(path) if path is not None else None
    if inner is not None and last in inner.names:
        found = names.target(inner.names[last], last, inner, steps + 1)
        if found is not None:
            return found
    if outer.rpartition(".")[2][:1].isupper() and steps <= MAX_STEPS:
        base = by_name(names, importer, outer, steps + 1)
        member = names.member(base, last, steps + 1) if base.scope is not None else None
        if member is not None:
            return member
    return Target(full)


def parts(names: Names, target: Target) -> Iterator[Target]:
    """Yield what other files hold of a class."""
    if not isinstance(target.node, n.Class) or target.node.form == "part":
        return
    for path in cast("ClassFinder", names.finder).parts(target.name):
        inner = names.module_scope(path)
        for stmt in inner.module.body if inner is not None else ():
            if isinstance(stmt, n.Class) and stmt.form == "part" and stmt.name == target.node.name:
                yield Target(target.name, stmt, inner)


def made_by(names: Names, target: Target, steps: int) -> Target | None:
    """The class that a function makes and gives back, where it is one and the same."""
    node, scope = target.node, target.scope
    if not isinstance(node, n.Function) or scope is None:
        return None
    inner = names.scope_of(node, scope)
    found = []
    for stmt in own(*node.body):
        if isinstance(stmt, n.Leave) and stmt.kind == "return" and stmt.value is not None:
            value = stmt.value.items[0] if isinstance(stmt.value, n.Items) and stmt.value.items else stmt.value
            value = value.value if isinstance(value, n.Unary) else value
            made = names.resolve(value.func, inner, steps + 1) if isinstance(value, n.Call) else None
            if made is None and isinstance(value, n.Name):
                held = names.resolve(value, inner, steps + 1)
                made = names.class_of(held, steps + 1) if held is not None else None
            if made is not None and isinstance(made.node, n.Class):
                found.append(made)
    return found[0] if len({id(f.node) for f in found}) == 1 else None


def method(names: Names, target: Target, count: int) -> Target:
    """The method that a call with so many arguments calls: the one of several of a name that takes them, and of an
    interface's the only class's that implements it."""
    node, scope = target.node, target.scope
    if not isinstance(node, n.Function) or scope is None:
        return target
    same = [f for f in scope.names.get(node.name, ()) if isinstance(f, n.Function)]
    fitting = [f for f in same if len(f.params) == count] or [f for f in same if f is node] or same
    chosen = fitting[0] if fitting else node
    target = Target(target.name, chosen, scope)
    owner = scope.owner
    if any(dotted(m.name) == "abstract" for m in chosen.marks) and isinstance(owner, n.Class):
        finder = cast("ClassFinder", names.finder)
        made = [by_name(names, scope.module.path, x) for x in finder.implementers(owner, scope.module.path)]
        real = [t for t in made if finder.structural or any(a.node is owner for a in names.ancestry(t))]
        found = names.member(real[0], chosen.name) if len(real) == 1 else None
        if found is not None and isinstance(found.node, n.Function) and found.node is not chosen:
            return method(names, found, count)
    return target
