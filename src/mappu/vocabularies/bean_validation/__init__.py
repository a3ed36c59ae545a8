"""Bean Validation: annotations on classes, run by a binder, an interceptor or a validator called by hand."""

from collections.abc import Mapping

from mappu.flow.words import Refer, RunWord, Told
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.shape import UNKNOWN, Reader, Shape

_VALIDATORS = ("jakarta.validation.Validator", "javax.validation.Validator")
_OUTCOMES = frozenset({"org.springframework.validation.BindingResult", "org.springframework.validation.Errors"})
# What asks a binding's outcome, and whether it tells that the rules failed or passed.
_ASKED: Mapping[str, Told] = {
    "hasErrors": "failed", "hasFieldErrors": "failed", "hasGlobalErrors": "failed", "getErrorCount": "faults",
    "getAllErrors": "faults",
    "getFieldErrors": "faults", "getFieldErrorCount": "faults", "getFieldError": "faults",
}  # fmt: skip


class BeanValidation:
    """The vocabulary."""

    name = "bean-validation"
    language = "java"
    tokens = (b"validation.",)
    error_parents = {
        "jakarta.validation.ConstraintViolationException": "jakarta.validation.ValidationException",
        "javax.validation.ConstraintViolationException": "javax.validation.ValidationException",
        "jakarta.validation.ValidationException": "RuntimeException", "javax.validation.ValidationException": "RuntimeException",
    }  # fmt: skip
    error_aliases: Mapping[str, str] = {}

    def shape(self, reader: Reader, expr: n.Expr, scope: Scope, groups: frozenset[str] | None = None) -> Shape:
        target = reader.program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
        if target is None or not isinstance(target.node, n.Class):
            return UNKNOWN
        reading = Reading(reader, groups) if groups else Reading(reader)
        return reading.of_class(target) if reading.is_model(target) else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return isinstance(target.node, n.Class) and Reading(reader).is_model(target)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        func = call.func
        if not isinstance(func, n.Member):
            return None
        if func.name in _ASKED and self._is_of(reader, func.value, scope, _OUTCOMES):
            return RunWord(func.value, scope, func.value, False, "", None, {"": _ASKED[func.name]})
        if func.name == "validate" and call.positional and self._is_of(reader, func.value, scope, _VALIDATORS):
            value, holder = refer(call.positional[0])
            type_ = self._type_of(reader, value, holder)
            if type_ is not None:
                return RunWord(type_[0], type_[1], call.positional[0], False, "", None, {"": "faults"})
        return None

    @staticmethod
    def _is_of(reader: Reader, expr: n.Expr, scope: Scope, classes: tuple[str, ...] | frozenset[str]) -> bool:
        found = reader.program.resolve(expr, scope)
        made = reader.program.class_of(found) if found is not None and found.scope is not None else found
        return made is not None and made.name in classes

    @staticmethod
    def _type_of(reader: Reader, value: n.Expr, scope: Scope) -> tuple[n.Expr, Scope] | None:
        """The declared type of what is handed to a validator."""
        found = reader.program.resolve(value, scope) if isinstance(value, n.Name | n.Member) else None
        node = found.node if found is not None else None
        if found is None or found.scope is None or not isinstance(node, n.Variable | n.Param) or node.type is None:
            return None
        return (node.type.value if isinstance(node.type, n.Index) else node.type), found.scope

    def cast(self, reader: Reader, type_: n.Expr, value: n.Expr, scope: Scope) -> RunWord | None:
        return None


vocabulary = BeanValidation()
