"""Shapes laid out flat: one entry a field, by the path the client sends and the path the code reads."""

from collections.abc import Iterator
from itertools import islice

import msgspec

from mappu.flow.values import Origin
from mappu.inventory.model import Place, PlaceIn
from mappu.vocabularies.shape import Default, Shape

MAX_FIELDS = 3000
WHOLE = "*"


class Laid(msgspec.Struct, frozen=True, eq=False):
    """One field laid out: the path the client sends, and the origin the flow engine knows it by."""

    place: PlaceIn
    path: str
    origin: Origin
    shape: Shape
    required: bool
    declared: Place
    model: str | None
    default: Default | None
    nested: bool


def lay_out(
    place: PlaceIn,
    wire: str,
    origin: Origin,
    shape: Shape,
    required: bool,
    declared: Place,
    default: Default | None = None,
) -> Iterator[Laid]:
    """Yield the fields of something bound. `wire` "" is a whole body: an object's fields then stand by themselves, and
    anything else is the field `*`."""
    top = Laid(place, wire or WHOLE, origin, shape, required, declared, shape.model, default, nested=False)
    yield from islice(_lay(top, wire, root=not wire), MAX_FIELDS)


def _lay(laid: Laid, prefix: str, root: bool) -> Iterator[Laid]:
    shape = laid.shape
    if not (root and shape.fields):
        yield laid
    for field in shape.fields:
        path = f"{prefix}.{field.wire}" if prefix else field.wire
        inner = Laid(laid.place, path, laid.origin.child(field.name), field.shape, field.required, field.declared,
                     shape.model, field.default, nested=True)  # fmt: skip
        yield from _lay(inner, path, root=False)
    for step, part in (("[]", shape.items), ("{}", shape.values)):
        if part is None:
            continue
        if part.target is not None and part.closed and not part.fields:
            # A model inside itself: it was laid out one level up.
            continue
        if root and step == "{}" and not part.fields and part.type == "any" and not part.rules:
            # A free-form body is one field, `*`; what the handler reads from it is found by following it.
            continue
        path = prefix + step
        inner = Laid(laid.place, path, laid.origin.child(step), part, False, laid.declared, part.model or laid.model,
                     None, nested=True)  # fmt: skip
        yield from _lay(inner, path, root=bool(part.fields))
