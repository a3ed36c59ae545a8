"""class-validator: classes whose fields carry decorators, run by a pipe or by hand."""

from collections.abc import Mapping

from mappu.flow.words import Refer, RunWord, Told
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies.class_validator.classes import Options, Reading
from mappu.vocabularies.class_validator.decorators import PACKAGE, TRANSFORMER
from mappu.vocabularies.shape import UNKNOWN, Reader, Shape

# Functions that run the rules, to what they give back; an empty one throws.
_RUNS: dict[str, Mapping[str, Told]] = {
    "validate": {"": "faults"}, "validateSync": {"": "faults"}, "validateOrReject": {}, "transformAndValidate": {},
    "transformAndValidateSync": {},
}  # fmt: skip
_MAKERS = frozenset({"plainToInstance", "plainToClass", "transformAndValidate", "transformAndValidateSync"})
_ERROR = f"{PACKAGE}.ValidationError"


class ClassValidator:
    """The vocabulary."""

    name = "class-validator"
    language = "javascript"
    tokens = (PACKAGE.encode(), TRANSFORMER.encode())
    error_parents = {_ERROR: "Error"}
    error_aliases: Mapping[str, str] = {}

    def shape(
        self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "", options: Options | None = None
    ) -> Shape:
        target = reader.program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
        if target is None or not isinstance(target.node, n.Class) or target.node.form != "class":
            return UNKNOWN
        reading = Reading(reader, options)
        return reading.of_class(target) if reading.is_model(target) else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return isinstance(target.node, n.Class) and target.node.form == "class" and Reading(reader).is_model(target)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        name = reader.program.name_of(call.func, scope) or ""
        last = name.rpartition(".")[2]
        if last not in _RUNS or not name.startswith((PACKAGE, "class-transformer-validator")) or not call.args:
            return None
        if last in _MAKERS and len(call.positional) > 1:
            return self._word(reader, refer(call.positional[0]), call.positional[1], last)
        made, holder = refer(call.positional[0])
        followed = reader.program.value(made, holder) if isinstance(made, n.Name) else (made, holder)
        inner = followed[0] if followed is not None else None
        if isinstance(inner, n.Call) and followed is not None and len(inner.positional) > 1:
            called = (reader.program.name_of(inner.func, followed[1]) or "").rpartition(".")[2]
            if called in _MAKERS or called == "assign":
                class_ = inner.positional[0]
                if called == "assign" and isinstance(class_, n.Call):
                    class_ = class_.func
                return self._word(reader, refer(class_), inner.positional[1], last)
        return None

    def _word(self, reader: Reader, type_: tuple[n.Expr, Scope], value: n.Expr, name: str) -> RunWord | None:
        return RunWord(type_[0], type_[1], value, False, _ERROR, None, _RUNS[name])

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


vocabulary = ClassValidator()
