"""What a scan knows beyond the inventory file: the evidence that gaps and their sentences are built from."""

from collections.abc import Mapping

import msgspec

from mappu.flow.values import Origin, Report, Sink
from mappu.frameworks.base import Route, Service, Taking
from mappu.inventory.model import Endpoint, Field, Inventory, Place, Unfollowed
from mappu.sources.settings import Settings
from mappu.vocabularies.shape import Default, Note, Shape

# What runs the rules of an entity that nobody checked before.
BY_STORAGE = "storage, as the row is written"


class FieldEvidence(msgspec.Struct, frozen=True, eq=False):
    """A field with what stands behind it.

    - `origin`: how the flow engine knows it. `raw`: no binder looks at it; the handler reads it by hand.
    - `nested`: it lies inside something that is bound. `read`: where it is read by hand.
    - `alternatives`: it may come from several alternatives, whose limits need not hold together.
    """

    field: Field
    origin: Origin
    shape: Shape
    raw: bool
    nested: bool
    default: Default | None
    read: Place | None
    sinks: tuple[Sink, ...]
    alternatives: bool
    entity: str | None = None


class RouteEvidence(msgspec.Struct, frozen=True, eq=False):
    """An endpoint with everything that was found on the way to it. `remedies` are its framework's ways to close a fault,
    `notes` and `needs` faults of declarations."""

    endpoint: Endpoint
    route: Route
    service: Service
    taking: Taking
    report: Report
    fields: tuple[FieldEvidence, ...]
    remedies: Mapping[str, str]
    notes: tuple[tuple[Note, str | None], ...]
    needs: tuple[tuple[str, Place], ...]


class Scan(msgspec.Struct, frozen=True, eq=False):
    """The outcome of reading: the inventory without gaps, and the evidence. `problems` are files and folders that could not
    be read as they should; what of them was lost is counted in `unreadable`."""

    inventory: Inventory
    routes: tuple[RouteEvidence, ...]
    services: tuple[Service, ...]
    settings: Settings
    problems: tuple[Unfollowed, ...]
    unreadable: int
