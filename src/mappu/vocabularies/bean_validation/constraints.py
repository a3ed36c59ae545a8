"""One annotation read to rules: by the table, or as a constraint of the service's own."""

import re

import msgspec

from mappu.inventory.model import ConstraintKind, Place
from mappu.sources.properties import properties
from mappu.symbols.program import Program, Scope, Target
from mappu.syntax import nodes as n
from mappu.syntax.walk import dotted
from mappu.vocabularies.bean_validation.annotations import CONSTRAINT, EXCLUSIVE, SIZES, Meaning, meaning_of
from mappu.vocabularies.shape import Note, Reader, Rule, Shape

MAX_COMPOSED = 4
# The option by which Kotlin's compiler keeps annotations on type arguments.
EMITS = "-Xemit-jvm-type-annotations"
# Why nothing looks at an annotation, by where Kotlin puts it, and the word of the remedy.
UNSEEN = {
    "param": ("the annotation lands on the constructor's parameter, where nothing looks", "on-field"),
    "type": (f"Kotlin's compiler leaves annotations on type arguments out, but for {EMITS}", "keep-type-marks"),
}
_BOOTS = ("org.springframework.boot:spring-boot-starter-parent", "org.springframework.boot:spring-boot-dependencies",
          "plugin:org.springframework.boot", "org.springframework.boot:spring-boot-starter-web")  # fmt: skip


def argument(mark: n.Mark, name: str) -> n.Expr | None:
    """The value of an annotation's element; the one without a name is called `value`."""
    call = mark.as_call()
    found = call.keyword(name)
    return found if found is not None or name != "value" else next(iter(call.positional), None)


class Constraints:
    """Reads annotations as one set of validated groups sees them."""

    def __init__(self, reader: Reader, groups: frozenset[str]) -> None:
        self.reader, self.groups = reader, groups
        self.program: Program = reader.program

    def is_constraint(self, mark: n.Mark, scope: Scope) -> bool:
        """True for an annotation that limits a value."""
        full = self._full(mark, scope)
        return meaning_of(full) is not None or self._own(mark, scope) is not None or self._house(full) is not None

    def of_mark(self, mark: n.Mark, scope: Scope, shape: Shape, primitive: bool, depth: int = 0) -> list[Rule]:
        """Return the rules of an annotation on something of this shape."""
        full = self._full(mark, scope)
        if full.endswith(".List"):
            inner = self.program.elements(argument(mark, "value"), scope)
            made = [n.Mark(e.span, e.func, e.args, "annotation") for e, _ in inner if isinstance(e, n.Call)]
            return [r for m in made for r in self.of_mark(m, scope, shape, primitive, depth)]
        place = scope.module.place(mark)
        known = meaning_of(full)
        house = self._house(full)
        if house is not None:
            return [Rule(kind, value, place) for kind, value in house.items()]
        own = self._own(mark, scope) if known is None else None
        if known is None and own is None:
            return []
        listed = self._groups(mark, scope)
        if listed and not listed & self.groups:
            # Meant for other requests than this one.
            return []
        skipped, mend = None, ""
        if not listed and "Default" not in self.groups:
            only = " and ".join(sorted(self.groups))
            skipped, mend = f"only the group {only} is validated here, and this rule belongs to none", "join-group"
        other = self.other_age
        if known is not None and other is not None and full.startswith(other):
            age = other.rstrip(".")
            skipped, mend = (
                f"{age} is the package of the other age of the standard: nothing here looks at it",
                "same-age",
            )
        skipped, mend = UNSEEN.get(mark.site or "", (skipped, mend))
        message = self._message(mark, scope)
        if own is not None:
            found = self._of_own(own, mark, scope, shape, primitive, place, message, depth)
        else:
            assert known is not None
            found = self._of_table(*known, mark, scope, shape, primitive, place, message)
        if skipped is None:
            return found
        return [r if r.skipped else msgspec.structs.replace(r, skipped=skipped, mend=mend) for r in found]

    def _of_table(self, name: str, meaning: Meaning, mark: n.Mark, scope: Scope, shape: Shape, primitive: bool, place: Place,
                  message: str | None) -> list[Rule]:  # fmt: skip
        if primitive and name == "NotNull":
            return []
        breaks = None
        if meaning.works_on and shape.known and shape.type not in ("any", *meaning.works_on) and not shape.none:
            breaks = f"@{name} does not work on this type: every request ends as a 5xx"
        rules = [Rule(kind, value, place, message, breaks) for kind, value in meaning.fixed]
        for kind, element, default in meaning.takes:
            expr = argument(mark, element)
            constant = self.program.constant(expr, scope)
            value: object = constant.value if constant is not None else default
            known = expr is None or constant is not None
            if not known:
                value = scope.module.text(expr) if expr is not None else None
            if value is None or (value == default and expr is None) or (kind == "maxLength" and value == 2147483647):
                continue
            if kind in ("minLength",) and value == 0:
                continue
            rules.append(
                self._limit(kind, value, mark, scope, shape, Rule(kind, value, place, message, breaks, known=known))
            )
        return rules

    def _limit(self, kind: ConstraintKind, value: object, mark: n.Mark, scope: Scope, shape: Shape, rule: Rule) -> Rule:
        kind = SIZES.get((kind, shape.type), kind)
        if kind in EXCLUSIVE and isinstance(value, str) and rule.known:
            # A decimal limit is written as text.
            try:
                number = float(value)
                value = int(number) if number.is_integer() else number
            except ValueError:
                pass
            inclusive = self.program.constant(argument(mark, "inclusive"), scope)
            if inclusive is not None and inclusive.value is False:
                kind = EXCLUSIVE[kind]
        if kind == "digits":
            fraction = self.program.constant(argument(mark, "fraction"), scope)
            value = [value, fraction.value if fraction is not None else None]
        if kind == "pattern" and isinstance(value, str) and rule.known:
            value = anchored(value)
        return msgspec.structs.replace(rule, kind=kind, value=value)

    # --- constraints of the service's own -----------------------------------------------------------------------------

    def _own(self, mark: n.Mark, scope: Scope) -> Target | None:
        """The annotation type, where it is a constraint declared in the source."""
        target = self.program.resolve(mark.name, scope)
        if target is None or target.scope is None or not isinstance(target.node, n.Class):
            return None
        marks = target.node.marks
        return target if any(self.program.name_of(m.name, target.scope) in CONSTRAINT for m in marks) else None

    def _of_own(self, own: Target, mark: n.Mark, scope: Scope, shape: Shape, primitive: bool, place: Place,
                message: str | None, depth: int) -> list[Rule]:  # fmt: skip
        node, holder = own.node, own.scope
        assert isinstance(node, n.Class)
        assert holder is not None
        rules: list[Rule] = []
        for each in node.marks:
            full = self.program.name_of(each.name, holder) or ""
            if full in CONSTRAINT:
                for expr, at in self._listed(argument(each, "validatedBy"), holder):
                    name = dotted(expr) or at.module.text(expr)
                    rules.append(Rule("custom", name.rpartition(".")[2], place, message))
            elif depth < MAX_COMPOSED:
                # What it is composed of, told as from where it is used.
                composed = self.of_mark(self._overridden(each, node, mark, holder), holder, shape, primitive, depth + 1)
                rules.extend(msgspec.structs.replace(r, declared=place, message=message or r.message) for r in composed)
        name = node.name
        return rules or [Rule("custom", name, place, message)]

    def _listed(self, given: n.Expr | None, scope: Scope) -> list[tuple[n.Expr, Scope]]:
        """The classes that an element lists: one, or several."""
        listed = self.program.elements(given, scope)
        return listed if listed or given is None or isinstance(given, n.Items) else [(given, scope)]

    def validators(self, mark: n.Mark, scope: Scope) -> list[Target]:
        """The classes of the service that check a constraint of its own."""
        own = self._own(mark, scope)
        if own is None or not isinstance(own.node, n.Class) or own.scope is None:
            return []
        constraint = next((m for m in own.node.marks if self.program.name_of(m.name, own.scope) in CONSTRAINT), None)
        listed = self._listed(argument(constraint, "validatedBy"), own.scope) if constraint is not None else []
        found = [self.program.resolve(e, s) for e, s in listed]
        return [t for t in found if t is not None and t.scope is not None]

    def _overridden(self, composed: n.Mark, node: n.Class, mark: n.Mark, scope: Scope) -> n.Mark:
        """A composing annotation with the elements that the composed one sets for it."""
        args = [*(composed.args or ())]
        wanted = (dotted(composed.name) or "").rpartition(".")[2]
        for member in node.body:
            for each in member.marks if isinstance(member, n.Variable) else ():
                if not (dotted(each.name) or "").endswith("OverridesAttribute"):
                    continue
                at = (dotted(argument(each, "constraint")) or "").rpartition(".")[2]
                assert isinstance(member, n.Variable)
                element = self.program.text(argument(each, "name"), scope) or member.name
                given = argument(mark, member.name) or member.value
                if at == wanted and given is not None:
                    args = [a for a in args if a.name != element] + [n.Arg(given, element)]
        return n.Mark(composed.span, composed.name, tuple(args), "annotation")

    @property
    def other_age(self) -> str | None:
        """The package of constraints that the version in the build does not look at; None where that cannot be told."""
        for name in _BOOTS:
            package = self.reader.service.package(name)
            found = re.match(r"(\d+)\.", package.versions) if package is not None else None
            if found is not None:
                return "javax." if int(found[1]) >= 3 else "jakarta."
        return None

    # --- elements of all ----------------------------------------------------------------------------------------------

    def _full(self, mark: n.Mark, scope: Scope) -> str:
        return self.program.name_of(mark.name, scope) or dotted(mark.name) or ""

    def _house(self, full: str) -> dict[ConstraintKind, object] | None:
        found = next((h for h in self.reader.house if h.annotation == full), None)
        return dict(found.constraints) if found is not None else None

    def _groups(self, mark: n.Mark, scope: Scope) -> frozenset[str]:
        given = argument(mark, "groups")
        listed = self.program.elements(given, scope) or ([(given, scope)] if given is not None else [])
        return frozenset((self.program.name_of(e, s) or dotted(e) or "").rpartition(".")[2] for e, s in listed)

    def _message(self, mark: n.Mark, scope: Scope) -> str | None:
        text = self.program.text(argument(mark, "message"), scope)
        if text is None or not (text.startswith("{") and text.endswith("}")):
            return text
        return self.reader_text(text[1:-1]) or text

    def reader_text(self, key: str) -> str | None:
        """The text of a message key in the service's bundle."""
        return bundle(self.reader).get(key)

    def notes(self, mark: n.Mark, scope: Scope, primitive: bool) -> list[Note]:
        """What is wrong with an annotation where it stands."""
        known = meaning_of(self._full(mark, scope))
        if known is None or not primitive or known[0] != "NotNull":
            return []
        place = scope.module.place(mark)
        why = "@NotNull can never refuse a primitive: left out, it silently becomes 0 or false"
        return [Note("no-effect", place, why, "use the boxed type, whose missing value is null")]


def anchored(pattern: str) -> str:
    """A pattern that is matched against the whole text, written with the anchors that this means."""
    text = pattern if pattern.startswith(("^", r"\A")) else "^" + (f"(?:{pattern})" if "|" in pattern else pattern)
    return text if text.endswith(("$", r"\z", r"\Z")) else text + "$"


def bundle(reader: Reader) -> dict[str, str]:
    """The service's own messages, by key: the framework's (from version 2.6 of Boot) go before the standard's."""
    found: dict[str, str] = {}
    for name in ("ValidationMessages.properties", "messages.properties"):
        for document in reader.documents:
            if document.path.rpartition("/")[2] == name:
                found |= properties(document)
    return found
