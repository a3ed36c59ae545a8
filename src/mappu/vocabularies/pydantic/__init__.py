"""pydantic: models, types and limits, in version 2 and in version 1's spelling."""

from functools import cache

from packaging.specifiers import InvalidSpecifier, SpecifierSet

from mappu.flow.words import Refer, RunWord
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies.pydantic import limits, models, reading
from mappu.vocabularies.shape import Reader, Shape

# Methods that run a model's rules on their first argument, and those that build the object without running any.
_CHECKING = frozenset({"model_validate", "parse_obj", "model_validate_json", "parse_raw", "validate_python",
                       "validate_json", "validate", "from_orm", "model_validate_strings"})  # fmt: skip
_SKIPPING = {
    "model_construct": "`model_construct` builds the object without running its rules",
    "construct": "`construct` builds the object without running its rules",
}
_CASTS = frozenset({"typing.cast", "cast"})
_LOOSE = frozenset({"pydantic.parse_obj_as", "pydantic.v1.parse_obj_as"})
# Most calls are none of these: only their last word is looked at before anything is resolved.
_BY_NAME = frozenset(name.rpartition(".")[2] for name in _CASTS | _LOOSE)
_ERROR = "pydantic.ValidationError"
_SAME_ERROR = ("pydantic_core.ValidationError", "pydantic_core._pydantic_core.ValidationError",
               "pydantic.error_wrappers.ValidationError", "pydantic.v1.ValidationError")  # fmt: skip


def version_of(reader: Reader) -> int:
    """The major version of pydantic that the manifests ask for: 1 only where they rule version 2 out."""
    package = reader.service.package("pydantic")
    return _major(package.versions) if package is not None and package.versions else 2


@cache
def _major(versions: str) -> int:
    try:
        wanted = SpecifierSet(versions)
    except InvalidSpecifier:
        return 2
    return 2 if any(wanted.contains(v, prereleases=True) for v in _SECOND) else 1


_SECOND = [f"2.{minor}.{patch}" for minor in range(40) for patch in (0, 3, 9)] + ["3.0.0"]


class Pydantic:
    """The vocabulary."""

    name = "pydantic"
    language = "python"
    tokens = (b"pydantic", b"sqlmodel", b"BaseModel", b"BaseSettings")
    error_parents = {_ERROR: "ValueError", "pydantic_core.PydanticCustomError": "ValueError"}
    error_aliases = dict.fromkeys(_SAME_ERROR, _ERROR)

    def context(self, reader: Reader) -> reading.Context:
        return reading.Context(reader, version_of(reader))

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "") -> Shape:
        return reading.read(self.context(reader), expr, scope)

    def laid(self, reader: Reader, shape: Shape, call: n.Call, scope: Scope) -> Shape:
        """Return the shape with the limits of a `Field(...)` or parameter function laid on it."""
        context = self.context(reader)
        return limits.apply(shape, call, context.at(scope), context.version)

    def is_model(self, reader: Reader, target: Target) -> bool:
        if isinstance(target.node, n.Class):
            return models.kind_of(self.context(reader), target) in ("model", "root", "dataclass", "record")
        return False

    def is_entity(self, reader: Reader, target: Target) -> bool:
        return models.is_entity(self.context(reader), target)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        called = (
            call.func.name if isinstance(call.func, n.Member) else call.func.id if isinstance(call.func, n.Name) else ""
        )
        name = reader.program.name_of(call.func, scope) if called in _BY_NAME else None
        if name in _CASTS and len(call.args) == 2:
            return self.cast(reader, call.args[0].value, call.args[1].value, scope)
        if name in _LOOSE and len(call.args) >= 2:
            return self._word(reader, call.args[0].value, scope, call.args[1].value, False, None)
        if isinstance(call.func, n.Member):
            return self._method(reader, call, call.func, scope)
        spread = next((a for a in call.args if a.spread and a.name == "**"), None)
        if spread is None or not isinstance(call.func, n.Name):
            return None
        return self._word(reader, call.func, scope, spread.value, True, None)

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        skips = "the type is only declared here: nothing looks at the value when the request comes"
        return self._word(reader, type_, scope, value, False, skips)

    def _method(self, reader: Reader, call: n.Call, func: n.Member, scope: Scope) -> RunWord | None:
        skips = _SKIPPING.get(func.name)
        if skips is not None or func.name in _CHECKING:
            first = next((a for a in call.args if a.spread or a.name is None), None)
            if first is None:
                return None
            adapter = self._adapter(reader, func.value, scope)
            if adapter is not None:
                return self._word(reader, adapter[0], adapter[1], first.value, False, None)
            return self._word(reader, func.value, scope, first.value, first.spread, skips)
        spread = next((a for a in call.args if a.spread and a.name == "**"), None)
        return self._word(reader, func, scope, spread.value, True, None) if spread is not None else None

    def _adapter(self, reader: Reader, expr: n.Expr, scope: Scope) -> tuple[n.Expr, Scope] | None:
        """The type inside `TypeAdapter(type)`, here or behind a name."""
        followed = reader.program.value(expr, scope)
        if followed is None or not isinstance(followed[0], n.Call) or not followed[0].positional:
            return None
        name = reader.program.name_of(followed[0].func, followed[1]) or ""
        return (followed[0].positional[0], followed[1]) if name.endswith(".TypeAdapter") else None

    def _word(
        self, reader: Reader, type_: n.Expr, scope: Scope, argument: n.Expr, spread: bool, skips: str | None
    ) -> RunWord | None:
        inner = type_.index if isinstance(type_, n.Index) and not isinstance(type_.index, n.Items) else type_
        target = reader.program.resolve(inner, scope) if isinstance(inner, n.Name | n.Member) else None
        if target is None or not isinstance(target.node, n.Class):
            return None
        kind = models.kind_of(self.context(reader), target)
        if kind not in ("model", "root"):
            return None
        if spread and models.is_table(self.context(reader), target):
            # Building a table row runs no rule; it is a write, which the storage call behind it shows.
            return None
        return RunWord(type_, scope, argument, spread, _ERROR, skips)


vocabulary = Pydantic()
