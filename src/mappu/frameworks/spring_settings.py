"""Classes that the settings of a Spring service are bound to, and whether their rules run when the service starts."""

import re
from collections.abc import Iterable

import msgspec

from mappu.flow.values import Origin
from mappu.flow.words import Words
from mappu.frameworks import base_java
from mappu.frameworks.base import Ran, Route, Service, Taken, Taking
from mappu.frameworks.base_java import Marked, classes
from mappu.frameworks.spring.parameters import VALIDATED
from mappu.frameworks.spring.remedies import REMEDIES
from mappu.inventory.model import Place, RunBy
from mappu.symbols.program import Target
from mappu.syntax import nodes as n
from mappu.vocabularies.bean_validation.classes import Reading
from mappu.vocabularies.bean_validation.constraints import argument
from mappu.vocabularies.shape import Shape

_MARK = "org.springframework.boot.context.properties.ConfigurationProperties"
NOT_VALIDATED = "the class has no @Validated: binding the settings runs none of its rules"


class SpringSettings:
    """Settings classes as a surface of their own."""

    name = "spring-settings"
    language = "java"
    tokens = (b"ConfigurationProperties",)
    remedies = REMEDIES

    def routes(self, service: Service) -> Iterable[Route]:
        marked = Marked(service)
        for class_, scope in classes(service, self.tokens):
            if marked.find(class_.marks, scope, (_MARK,)) is not None:
                path = f"{scope.module.path}#{class_.name}"
                yield Route(self.name, "settings", "SETTINGS", path, class_, scope, class_.name)

    def takes(self, service: Service, route: Route) -> Taking:
        assert isinstance(route.handler, n.Class)
        marked = Marked(service)
        mark = marked.find(route.handler.marks, route.scope, (_MARK,))
        assert mark is not None
        given = argument(mark, "prefix") or argument(mark, "value")
        prefix = next(iter(marked.texts(given, route.scope)), "")
        # What is nested is looked at as soon as anything of it is set.
        reading = Reading(service.reader, cascades=True)
        shape = reading.of_class(Target(route.symbol, route.handler, route.scope)).with_(nullable=False)
        place = Place(route.scope.module.path, route.handler.line, f"class {route.handler.name}")
        fields = tuple(
            msgspec.structs.replace(f, wire=f"{prefix}.{_kebab(f.wire)}".lstrip("."), shape=_kebab_inside(f.shape))
            for f in shape.fields
        )
        if marked.find(route.handler.marks, route.scope, (VALIDATED,)) is None:
            shape = shape.with_(skipped=NOT_VALIDATED)
        taken = Taken("settings", "", shape.with_(fields=fields), True, place, Origin("settings"))
        return Taking((taken,), ())

    def runs(self, service: Service, route: Route, taken: Taken) -> Ran:
        place = taken.declared
        by = RunBy("made at start", place.file, place.line, place.text or "")
        if taken.shape.skipped is not None:
            return Ran(None, "idle", taken.shape.skipped, by)
        return Ran(by)

    def words(self, service: Service) -> Words:
        return base_java.words(service, lambda target, own: own, {})


def _kebab(name: str) -> str:
    return re.sub(r"(?<=[a-z0-9])([A-Z])", r"-\1", name).lower()


def _kebab_inside(shape: Shape) -> Shape:
    fields = tuple(msgspec.structs.replace(f, wire=_kebab(f.wire), shape=_kebab_inside(f.shape)) for f in shape.fields)
    return shape.with_(fields=fields)


framework = SpringSettings()
