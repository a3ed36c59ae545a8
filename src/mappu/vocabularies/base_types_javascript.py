"""Types that only the compiler sees: they tell which fields the code expects, and nothing checks any of them."""

from collections.abc import Iterable

from mappu.inventory.model import PlaceIn
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.shape import Reader, Shape, ShapeField

MAX_DEPTH = 8
_SAME = frozenset({"Partial", "Required", "Readonly", "NonNullable", "Promise", "Awaited"})
_LISTS = frozenset({"Array", "ReadonlyArray", "Set"})
_CHOSEN = frozenset({"Pick", "Omit"})


def erased(reader: Reader, type_: n.Expr | None, scope: Scope, inside: tuple[int, ...] = ()) -> Shape:
    """Return the fields that a type names, none of them limited; nothing known where it names none."""
    if type_ is None or len(inside) > MAX_DEPTH:
        return Shape()
    if isinstance(type_, n.Binary):
        arms = [erased(reader, t, scope, inside) for t in arms_of(type_, type_.op)]
        named = [a for a in arms if a.fields]
        if type_.op == "&":
            return _joined(named, "&")
        return (
            named[0] if len(named) == 1 and len([t for t in arms_of(type_, "|") if not is_nothing(t)]) == 1 else Shape()
        )
    if isinstance(type_, n.Index):
        return _made(reader, type_, scope, inside)
    target = reader.program.resolve(type_, scope) if isinstance(type_, n.Name | n.Member) else None
    if target is None or target.scope is None:
        return Shape()
    if isinstance(target.node, n.Alias):
        found = erased(reader, target.node.value, target.scope, (*inside, id(target.node)))
        return found.with_(model=target.node.name) if found.fields else found
    if isinstance(target.node, n.Class) and target.node.form != "enum" and id(target.node) not in inside:
        return _of_class(reader, target, target.node, inside)
    return Shape()


def _of_class(reader: Reader, target: Target, node: n.Class, inside: tuple[int, ...]) -> Shape:
    found: dict[str, ShapeField] = {}
    for each in reversed(reader.program.ancestry(target)):
        if not isinstance(each.node, n.Class) or each.scope is None:
            continue
        scope = reader.program.scope_of(each.node, each.scope)
        for member in each.node.body:
            if isinstance(member, n.Variable) and not any(dotted(m.name) == "static" for m in member.marks):
                inner = erased(reader, member.type, scope, (*inside, id(node)))
                place = scope.module.place(member)
                found[member.name] = ShapeField(member.name, member.name, inner, False, place)
    name = None if node.name.startswith("type:") else node.name
    return Shape("any", fields=tuple(found.values()), model=name, erased=True)


def _made(reader: Reader, type_: n.Index, scope: Scope, inside: tuple[int, ...]) -> Shape:
    """A type made of another: all, some or a list of it."""
    name = (dotted(type_.value) or "").rpartition(".")[2]
    given = type_.index.items if isinstance(type_.index, n.Items) else (type_.index,)
    first = erased(reader, given[0], scope, inside) if given else Shape()
    if name in _LISTS:
        return Shape("any", items=first, erased=True) if first.fields else Shape()
    if name in _CHOSEN and len(given) > 1:
        keys = {t.value for t in arms_of(given[1], "|") if isinstance(t, n.Literal)}
        kept = tuple(f for f in first.fields if (f.name in keys) == (name == "Pick"))
        return first.with_(fields=kept) if keys else Shape()
    if name in _SAME:
        return first
    return erased(reader, type_.value, scope, inside)


def _joined(shapes: Iterable[Shape], joint: str) -> Shape:
    fields = {f.name: f for s in shapes for f in s.fields}
    names = [s.model for s in shapes if s.model is not None]
    return Shape("any", fields=tuple(fields.values()), model=f" {joint} ".join(names) or None, erased=bool(fields))


def arms_of(type_: n.Expr, op: str) -> list[n.Expr]:
    if isinstance(type_, n.Binary) and type_.op == op:
        return [*arms_of(type_.left, op), *arms_of(type_.right, op)]
    return [type_]


def is_nothing(type_: n.Expr) -> bool:
    return (isinstance(type_, n.Literal) and type_.value is None) or dotted(type_) in ("undefined", "null")


def of_request(reader: Reader, type_: n.Expr | None, scope: Scope) -> dict[PlaceIn, Shape]:
    """What the type of a request says of its parts: `Request<Params, Answer, Body, Query>`, or one object that names them."""
    if not isinstance(type_, n.Index) or not (dotted(type_.value) or "").endswith("Request"):
        return {}
    given = type_.index.items if isinstance(type_.index, n.Items) else (type_.index,)
    if len(given) > 1:
        parts = dict(zip(_ORDER, (erased(reader, part, scope) for part in given), strict=False))
    else:
        parts = {f.name.lower(): f.shape for f in erased(reader, given[0], scope).fields}
    return {place: parts[word] for word, place in _PARTS.items() if word in parts and parts[word].fields}


_ORDER = ("params", "answer", "body", "query")
_PARTS: dict[str, PlaceIn] = {"body": "body", "query": "query", "querystring": "query"}
