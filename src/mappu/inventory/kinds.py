"""The table of gap kinds: the word, what it says, and its usual severity."""

import msgspec

from mappu.inventory.model import Severity


class Kind(msgspec.Struct, frozen=True):
    """One kind of gap. `says` completes the sentence "this kind of gap means that …"."""

    name: str
    says: str
    severity: Severity


_TABLE: tuple[tuple[str, Severity, str], ...] = (
    ("bare-input", "high", "client data reaches the handler's code with nothing on it"),
    ("idle-rules", "high", "rules are declared and nothing on this route runs them"),
    ("ignored-outcome", "high", "the check runs and nobody acts on its outcome"),
    ("no-stop", "high", "the handler answers with an error and then carries on"),
    ("late-check", "high", "the check stands after the data was used, or before it was bound"),
    ("whole-write", "high", "the whole body goes to storage, no field chosen"),
    ("shallow-check", "high", "a nested object or the elements of a list are not looked into"),
    ("missing-package", "high", "the rules' package, or one it needs, is not in the manifest"),
    ("server-error", "medium", "bad input ends as a 5xx where a 4xx belongs"),
    ("storage-bound", "medium", "the storage entity itself is bound from the request"),
    ("untyped", "medium", "presence is checked, the type is not"),
    ("contradiction", "medium", "rules that can never hold together, or a default that breaks its own rule"),
    ("no-effect", "medium", "a rule that cannot do anything where it stands"),
    ("weak-pattern", "medium", "a pattern that lets other text around it, or that can backtrack without end"),
    ("sibling-drift", "medium", "a change takes for the same field what its create turns away"),
    ("storage-drift", "medium", "a request may hold what its column cannot, or leave out what it must have"),
    ("late-settings", "medium", "settings rules that run only at first use instead of at start"),
    ("unbounded", "low", "text, list or number with no upper limit"),
    ("unlisted-fields", "low", "fields nobody declared are let through and kept"),
    ("unused-rules", "low", "a model with rules that nothing uses"),
)

KINDS: dict[str, Kind] = {name: Kind(name, says, severity) for name, severity, says in _TABLE}
