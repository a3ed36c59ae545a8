"""A field while it is put together: what was laid out, what hand-written code adds, and what it comes to."""

from mappu.flow.values import Escape, Origin, Report, Sink
from mappu.frameworks.base import Ran
from mappu.inventory.model import Constraint, Field, FieldType, Place, PlaceIn, Standing, Status
from mappu.inventory.standing import field_standing
from mappu.pipeline.evidence import FieldEvidence
from mappu.pipeline.layout import Laid

_FARES: dict[Status, Standing] = {"idle": "idle", "leaks": "leaky", "breaks": "leaky", "unknown": "unknown"}


class Draft:
    """A field while it is put together."""

    def __init__(self, laid: Laid, raw: bool, ran: Ran | None, read: Place | None = None) -> None:
        self.laid, self.raw, self.ran, self.read = laid, raw, ran, read
        self.required = laid.required
        # True where hand-written code turns a request without it away.
        self.demanded = False
        # True where a rule that runs turns "no value" away.
        self.not_null = False
        self.type: FieldType = laid.shape.type
        self.constraints: list[Constraint] = []
        self.escape: Escape | None = None

    @property
    def by_hand(self) -> bool:
        """True where only hand-written code looks at it."""
        return self.raw or (self.ran is not None and self.ran.run_by is None and self.ran.status == "runs")

    @property
    def bound(self) -> bool:
        return self.ran is not None and self.ran.run_by is not None

    @property
    def checked(self) -> bool:
        """True where something checks its type."""
        if self.by_hand and self.type == "boolean":
            return any(c.kind == "type" and c.status == "runs" for c in self.constraints)
        ran = self.ran
        runs = ran is not None and (ran.binder is not None or (ran.run_by is not None and ran.status == "runs"))
        return runs and self.laid.shape.known and self.type != "any" and not self.raw

    @property
    def standing(self) -> Standing:
        shape, ran = self.laid.shape, self.ran
        closed = shape.closed or any(r.kind in ("enum", "const", "format") for r in shape.rules)
        unknown = ran is not None and ran.status == "unknown"
        found = field_standing(
            tuple(self.constraints), type_=self.type, shape_checked=self.checked, closed=closed,
            followed=shape.known and self.escape is None and not unknown,
        )  # fmt: skip
        if found == "bare" and ran is not None and not self.raw:
            # Its type and presence are declared as well, and fare as the rest does.
            return _FARES.get(ran.status, found)
        return found

    @property
    def is_required(self) -> bool:
        """True where leaving it out is turned away: what a rule asks for is not asked for where the rule refuses nothing."""
        if self.laid.path.endswith(("[]", "{}")):
            # An element that is not there is not missing.
            return False
        ran = self.ran
        by_binder = ran is not None and ran.binder is not None and not self.laid.nested
        refused = by_binder or ran is None or self.by_hand or ran.status in ("runs", "unknown")
        return self.demanded or (self.required and refused)

    def finish(self, report: Report, uploads: bool, entity: str | None) -> FieldEvidence:
        """Return the field with what stands behind it. `uploads`: a file comes with it."""
        laid, shape = self.laid, self.laid.shape
        sinks = tuple(s for s in report.sinks if meets(s, laid.origin, self.raw))
        # Beside an uploaded file the rest of the body comes as parts of the same form.
        place: PlaceIn = "form" if laid.place == "body" and uploads else laid.place
        field = Field(place, laid.path, self.type, self.is_required, shape.nullable and not self.not_null, self.standing,
                      laid.model, laid.declared,
                      tuple(self.constraints))  # fmt: skip
        return FieldEvidence(field, laid.origin, shape, self.raw, laid.nested, laid.default, self.read, sinks,
                             shape.alternatives, entity)  # fmt: skip


def meets(sink: Sink, origin: Origin, raw: bool) -> bool:
    """True where this data arrives there: itself, as part of more, or (read by hand) a part of it."""
    return sink.origin.covers(origin) or (raw and origin.covers(sink.origin))
