"""How well a field, and an endpoint, is protected: computed from the statuses of its constraints, never by hand."""

from collections.abc import Iterable

from mappu.inventory.model import Constraint, FieldType, Standing

# Weakest first; an endpoint is as strong as its weakest field.
ORDER: tuple[Standing, ...] = ("bare", "idle", "leaky", "unknown", "shape-only", "enforced", "no-input")

# Kinds that only say what shape a value has: type and presence.
SHAPE_KINDS = frozenset({"type", "required", "nullable", "notNull"})

WORDS: dict[Standing, str] = {
    "enforced": "a limit beyond type and presence runs, and every declared limit does",
    "shape-only": "only type or presence is checked",
    "unknown": "could not be followed",
    "leaky": "a limit is noticed, but ends as a 5xx or the handler carries on",
    "idle": "limits are declared and nothing here runs them",
    "bare": "reaches the handler's code with nothing on it",
    "no-input": "takes nothing from the client",
}


def field_standing(
    constraints: Iterable[Constraint], *, type_: FieldType, shape_checked: bool, closed: bool, followed: bool = True
) -> Standing:
    """Return a field's standing.

    `shape_checked`: something on the route checks the type or the presence. `closed`: the type leaves no room to limit
    (boolean, enum, uuid, an object with known fields). `followed`: False where the client's value went out of sight.
    """
    statuses = [c.status for c in constraints]
    if "idle" in statuses:
        return "idle"
    if "breaks" in statuses or "leaks" in statuses:
        return "leaky"
    if "unknown" in statuses:
        return "unknown"
    running = [c for c in constraints if c.status == "runs"]
    if any(c.kind not in SHAPE_KINDS for c in running):
        return "enforced"
    if shape_checked and (closed or type_ == "boolean"):
        return "enforced"
    if not followed:
        return "unknown"
    return "shape-only" if shape_checked or running else "bare"


def endpoint_standing(standings: Iterable[Standing]) -> Standing:
    """Return the weakest of the fields' standings, or `no-input` where there are none."""
    return min(standings, key=ORDER.index, default="no-input")
