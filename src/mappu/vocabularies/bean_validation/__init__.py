"""Bean Validation: annotations on classes, run by a binder, an interceptor or a validator called by hand."""

from collections.abc import Mapping

from mappu.flow.words import Refer, RunWord, Told
from mappu.symbols.program import Scope, Target
from mappu.syntax import nodes as n
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.shape import UNKNOWN, Reader, Shape

_VALIDATORS = ("jakarta.validation.Validator", "javax.validation.Validator")
_OUTCOMES = frozenset({"org.springframework.validation.BindingResult", "org.springframework.validation.Errors"})
_INTERCEPTED = "org.springframework.validation.annotation.Validated"
_VIOLATION = "jakarta.validation.ConstraintViolationException"
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

    def shape(
        self, reader: Reader, expr: n.Expr, scope: Scope, view: str = "", groups: frozenset[str] | None = None
    ) -> Shape:
        reading = Reading(reader, groups) if groups else Reading(reader)
        if isinstance(expr, n.Index):
            return reading.of_type(expr, scope)
        target = reader.program.resolve(expr, scope) if isinstance(expr, n.Name | n.Member) else None
        if target is None or not isinstance(target.node, n.Class):
            return UNKNOWN
        return reading.of_class(target) if reading.is_model(target) else UNKNOWN

    def is_model(self, reader: Reader, target: Target) -> bool:
        return isinstance(target.node, n.Class) and Reading(reader).is_model(target)

    def run(self, reader: Reader, call: n.Call, scope: Scope, refer: Refer) -> RunWord | None:
        func = call.func
        checked = _checked_parameter(reader, call, scope)
        if checked is not None:
            return checked
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


def _checked_parameter(reader: Reader, call: n.Call, scope: Scope) -> RunWord | None:
    """A call of a method whose class has an interceptor look at its parameters, and one of them says that it goes into it."""
    program = reader.program
    target = program.resolve(call.func, scope)
    if target is None or not isinstance(target.node, n.Function) or target.scope is None:
        return None
    owner, around = target.scope.owner, target.scope.parent
    if not isinstance(owner, n.Class) or around is None:
        return None
    class_ = Target(program.full_name(around, owner.name), owner, around)
    for each in program.ancestry(class_):
        if not isinstance(each.node, n.Class) or each.scope is None:
            continue
        if not any(program.name_of(m.name, each.scope) == _INTERCEPTED for m in each.node.marks):
            continue
        inner = program.scope_of(each.node, each.scope)
        method = next(
            (m for m in each.node.methods if m.name == target.node.name and len(m.params) == len(call.args)), None
        )
        for param, argument in zip(method.params if method is not None else (), call.positional, strict=False):
            text = inner.module.text(param)
            if "@Valid" in text and param.type is not None:
                return RunWord(param.type, inner, argument, False, _VIOLATION)
    return None


vocabulary = BeanValidation()
