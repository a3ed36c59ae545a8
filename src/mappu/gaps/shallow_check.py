"""A nested object, or the elements of a list, that nothing looks into."""

from collections.abc import Iterator

from mappu.gaps.base import gap, listed, remedy
from mappu.inventory.model import Gap, Severity
from mappu.pipeline.evidence import FieldEvidence, RouteEvidence, Scan

kind = "shallow-check"


def find(scan: Scan) -> Iterator[Gap]:
    for route in scan.routes:
        done: set[tuple[str, str]] = set()
        for found in route.fields:
            path = _container(found)
            if path is None or (found.field.place, path) in done or _looked_into(route, path):
                continue
            done.add((found.field.place, path))
            yield _gap(route, found, path)


def _container(found: FieldEvidence) -> str | None:
    """The path whose inside is not looked at; None where it is."""
    below = _below(found)
    if below is not None:
        steps = found.field.path.split(".")
        names = [s.rstrip("[]{}") for s in steps]
        return ".".join((*steps[: names.index(below)], below)) if below in names else found.field.path
    if found.raw or found.field.standing != "bare" or not found.nested:
        return None
    path = found.field.path
    return (path[:-2] if path.endswith(("[]", "{}")) else path) or "*"


def _below(found: FieldEvidence) -> str | None:
    """The field around it that nothing goes into, though there are rules inside."""
    idle = {c.why_not for c in found.field.constraints if c.status == "idle"}
    return next((r.below for r in found.shape.rules if r.below is not None and r.skipped in idle), None)


def _looked_into(route: RouteEvidence, path: str) -> bool:
    """True where the handler checks parts of it by hand."""
    return any(
        f.raw and f.field.path.startswith((path + ".", path + "[]", path + "{}")) and f.field.standing != "bare"
        for f in route.fields
    )


def _gap(route: RouteEvidence, found: FieldEvidence, path: str) -> Gap:
    where = found.field.declared
    assert where is not None
    steps = found.field.path[len(path) :] if path != "*" else found.field.path
    in_list = "[]" in found.field.path
    if _below(found) is not None:
        reason = next(r.skipped for r in found.shape.rules if r.below is not None)
        inside = [f.field.path for f in route.fields if _below(f) is not None and _container(f) == path]
        what = f"is not looked into: the rules of {found.field.model} on {listed(inside)} never run, as {reason}"
    elif steps.endswith("{}"):
        what = "is checked to be a map; its keys and values are not looked at"
    elif steps.endswith("[]"):
        what = "is checked to be a list; its elements are not looked at"
    else:
        what = "may be anything: nothing looks at its type or its value"
    stored = any(s.what == "storage" for s in found.sinks)
    why = f"`{path}` {what}" + (", and it goes to storage" if stored else "")
    fix = remedy(route, "model-inside" if steps else "type-it")
    severity: Severity = "high" if in_list or stored else "medium"
    return gap(kind, route, where, why, fix, field=path, place=found.field.place, severity=severity)
