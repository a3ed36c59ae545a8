"""Calls that look up, stage or write: where client data arrives in storage."""

from __future__ import annotations

import re
from typing import TYPE_CHECKING

from mappu.flow.state import State
from mappu.flow.values import NOTHING, Given, Into, Origin, Value, all_touched
from mappu.inventory.model import Place
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted, walk

if TYPE_CHECKING:
    from mappu.flow.engine import Engine


def assign_member(engine: Engine, expr: n.Call, given: Given, state: State) -> Value:
    key, held = given[1][1], given[2][1]
    if key.via == "key" and key.origin is not None:
        parent = Origin(key.origin.place, key.origin.path[:-1])
        engine.store(Value(parent, whole=parent), engine.place(expr), state, at_once=False)
    elif held.touched:
        engine.store(held, engine.place(expr), state, at_once=False)
    return NOTHING


def merged(engine: Engine, expr: n.Call, given: Given, state: State) -> Value:
    """Objects put together into the first: a record takes over what is in the others."""
    first, others = given[0][1], [v for _, v in given[1:]]
    if first.role in ("lookup", "entity"):
        for held in others:
            engine.store(held.but(whole=held.whole or held.origin), engine.place(expr), state, at_once=False)
        return first
    attrs = {k: v for each in (first, *others) for k, v in each.attrs.items()}
    whole = next((v.whole or v.origin for v in (first, *others) if v.whole or v.origin), None)
    return Value(taints=all_touched([first, *others]), attrs=attrs, whole=whole)


def is_storage(engine: Engine, expr: n.Call, receiver: Value, target: Target | None) -> bool:
    """True for a method of something that keeps records: by its class, by what it was made from, or by its name. A call of
    the service's own code is looked into instead; a list made here is no storage."""
    if target is not None and isinstance(target.node, n.Function):
        written = engine.words.generated
        if written and target.scope is not None and written in target.scope.module.source[:200]:
            return True
        return _is_made_by_storage(engine, target)
    if receiver.origin is not None or receiver.role in ("local", "answer", "error"):
        return False
    words = engine.words
    if receiver.role in ("store", "lookup", "entity") or (receiver.made is not None and words.is_entity(receiver.made)):
        return True
    outside = [t.name for t in (target, receiver.made) if t is not None and t.scope is None]
    if any(_is_of_storage(name, words.storage_packages) for name in outside):
        return True
    assert isinstance(expr.func, n.Member)
    if expr.func.name in words.plain_stores:
        return True
    if receiver.made is not None and receiver.made.node is None:
        return _package(receiver.made.name) in words.storage_packages
    base = expr.func.value
    while isinstance(base, n.Call):
        base = base.func.value if isinstance(base.func, n.Member) else base.func
    names = (dotted(base) or (base.name if isinstance(base, n.Member) else "")).split(".")
    # The first of several names counts as well (`prisma.user`), unless it is only the object around.
    root = names[1:2] if names[0] == engine.program.receiver else names[:1] if engine.program.receiver else []
    if words.language.returns_errors:
        # Whose method this is has a name of its own: any of those in front may be what keeps records.
        root = names[:-1]
    return any(words.storage_names.search(x) for x in (names[-1], *root)) or _is_record(engine, base)


def _is_made_by_storage(engine: Engine, target: Target) -> bool:
    """True for a method without a body in an interface of a storage library: the library makes the body from its name."""
    owner = target.scope.owner if target.scope is not None else None
    assert isinstance(target.node, n.Function)
    if not isinstance(owner, n.Class) or not any(dotted(m.name) == "abstract" for m in target.node.marks):
        return False
    assert target.scope is not None
    assert target.scope.parent is not None
    full = engine.program.full_name(target.scope.parent, owner.name)
    lineage = engine.program.ancestry(Target(full, owner, target.scope.parent))
    return any(a.name.startswith(f"{p}.") for a in lineage[1:] for p in engine.words.storage_packages)


def _package(name: str) -> str:
    """The package of something outside, without the folder inside it that it comes from."""
    folders = name.split(".")[0].split("/")
    return "/".join(folders[: 2 if name.startswith("@") else 1])


def _is_of_storage(name: str, packages: frozenset[str]) -> bool:
    """True for a method of a class of one of the packages."""
    package = next((p for p in packages if name.startswith(p + ".")), None)
    return package is not None and "." in name[len(package) + 1 :]


def _is_record(engine: Engine, base: n.Expr) -> bool:
    """True for a storage class named directly (`Row.create(…)`, `Row.objects.create(…)`)."""
    while isinstance(base, n.Member):
        base = base.value
    target = engine.program.resolve(base, engine.scope) if isinstance(base, n.Name) else None
    return target is not None and target.scope is not None and engine.words.is_entity(target)


def storage(engine: Engine, expr: n.Call, method: str, receiver: Value, given: Given, state: State) -> Value | None:
    words = engine.words
    place = engine.place(expr)
    if method in words.commits:
        state.stored.extend(x for x in state.staged if x not in state.stored)
        return NOTHING
    named = words.setters.fullmatch(method) if words.setters is not None and len(given) == 1 else None
    if named is not None:
        value = given[0][1]
        attrs = {**receiver.attrs, named[1]: value}
        return receiver.but(role="entity", attrs=attrs, taints=receiver.touched | value.touched)
    if method in words.keyed and len(given) > 1 and not _asks(given[1][1], words.asking_keys):
        # The first argument says which record is meant.
        given = given[1:]
    held = [_rows(engine, _spread(a, v)) for a, v in given]
    touched = all_touched(held)
    if method == "values" and given and not words.language.takes_objects:
        # The row of a statement that is executed later on.
        whole = next((v.whole for (a, _), v in zip(given, held, strict=True) if a.name is None or a.spread), None)
        return Value(taints=touched, attrs={a.name: v for a, v in given if a.name and not a.spread}, whole=whole)
    if method in words.lookups or (words.lookup_prefixes and method.startswith(words.lookup_prefixes)):
        if receiver.touched or receiver.whole is not None:
            return receiver
        if touched and (method in words.queries or not words.language.takes_objects):
            _query_text(engine, given, place)
        before = receiver.taints if receiver.role == "lookup" else frozenset()
        return Value(role="lookup", taints=frozenset().union(before, *(_asked(v) for _, v in given)))
    if receiver.role == "store" and method in words.language.adders:
        for each in held:
            engine.store(each, place, state, at_once=True)
        return Value(taints=touched)
    if method in words.stores or method in words.stages:
        if method in words.queries:
            _query_text(engine, given, place)
            if not any(_writes(a.value, engine) for a, _ in given):
                return Value(role="lookup", taints=touched)
        for each in held if any(v.touched or v.whole is not None for v in held) else [receiver]:
            if each.touched or each.whole is not None:
                made = each.made if each.made is not None and words.is_entity(each.made) else receiver.made
                engine.store(each, place, state, method in words.stores, Into(expr, engine.scope, made))
        return Value(role="entity", taints=touched)
    return None


def _asks(held: Value, keys: frozenset[str]) -> bool:
    return any(k in keys for k in held.attrs)


def _rows(engine: Engine, held: Value) -> Value:
    """The row among the options of a write: what says which record is meant is not written."""
    words = engine.words
    rows = [v for k, v in held.attrs.items() if k in words.row_keys]
    if not rows and not _asks(held, words.asking_keys):
        return held
    if held.origin is not None or not (rows or words.row_keys):
        return held
    kept = {k: v for k, v in held.attrs.items() if k not in words.asking_keys and k not in words.row_keys}
    whole = next((v.whole or v.origin for v in rows if v.whole or v.origin), None)
    inner = {k: v for row in rows for k, v in row.attrs.items()}
    taints = all_touched([*rows, *kept.values()])
    return Value(taints=taints, attrs={**kept, **inner}, whole=whole)


def _asked(held: Value) -> frozenset[Origin]:
    """The client data that a lookup is asked with: itself, compared with a column, or in a map of columns; not what has
    merely passed through other code."""
    own = frozenset({held.origin}) if held.origin is not None else frozenset()
    within = held.taints if held.facts is not None or held.role == "lookup" else frozenset()
    return own.union(within, *(_asked(v) for v in held.attrs.values()))


def _spread(arg: n.Arg, held: Value) -> Value:
    """A value spread into a call goes there whole."""
    return (
        Value(held.origin, "dump", held.taints, whole=held.origin or held.whole, attrs=held.attrs)
        if arg.spread
        else held
    )


def _query_text(engine: Engine, given: Given, place: Place) -> None:
    """Client data put into the text of a query; bound parameters come as data of their own and are fine."""
    for arg, held in given[:1]:
        if (
            held.via == "text"
            and isinstance(arg.value, n.Template | n.Binary | n.Name)
            and _is_query(engine, arg.value)
        ):
            engine.sink(held, "query text", place)


def _is_query(engine: Engine, expr: n.Expr) -> bool:
    """False for text put together that is plainly none of a query: a key, an address."""
    followed = engine.program.value(expr, engine.scope)
    texts = [x.value for x in walk(followed[0] if followed is not None else expr) if isinstance(x, n.Literal)]
    written = " ".join(t for t in texts if isinstance(t, str))
    return not written.strip() or _QUERY.search(written) is not None


_QUERY = re.compile(
    r"\b(select|insert|update|delete|where|from|match|merge|call|and|or|order|like|set|values|into)\b", re.I
)


def _writes(expr: n.Expr, engine: Engine) -> bool:
    """True for a query that changes something: built by insert/update/delete calls, or text that starts so."""
    followed = engine.program.value(expr, engine.scope)
    node = followed[0] if followed is not None else expr
    for part in walk(node):
        if isinstance(part, n.Call):
            name = (dotted(part.func) or (part.func.name if isinstance(part.func, n.Member) else "")).rpartition(".")[2]
            if name in ("insert", "update", "delete", "values", "text"):
                texts = [p.value for p in walk(part) if isinstance(p, n.Literal) and isinstance(p.value, str)]
                return name != "text" or _change_text(texts)
        if isinstance(part, n.Literal) and isinstance(part.value, str):
            return _change_text([part.value])
    return False


def _change_text(texts: list[str]) -> bool:
    return any(t.lstrip().lower().startswith(("insert", "update", "delete", "replace", "merge")) for t in texts)
