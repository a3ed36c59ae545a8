"""Paths as frameworks write them, and the parameters in them; which packages a service uses."""

import re
from collections.abc import Iterator

from mappu.flow.values import Origin
from mappu.frameworks.base import Route, Service, Taken
from mappu.inventory.model import Place
from mappu.vocabularies.shape import Rule, Shape

_PARAMETER = re.compile(r":(\w+)(\([^()]*(?:\([^()]*\)[^()]*)*\))?([?*+])?|\*(\w+)|\{([^{}]*)\}")


def braces(path: str) -> tuple[str, dict[str, str]]:
    """Return the path with its parameters in braces, and the pattern of each ("" for none)."""
    found: dict[str, str] = {}

    def one(match: re.Match[str]) -> str:
        if match[5] is not None:
            # A part that may be left out.
            return _PARAMETER.sub(one, match[5])
        name = match[1] or match[4]
        inner = (match[2] or "")[1:-1]
        found[name] = f"^(?:{inner})$" if "|" in inner else f"^{inner}$" if inner else ""
        return f"{{{name}}}"

    return _PARAMETER.sub(one, path), found


def curly(path: str) -> tuple[str, dict[str, str]]:
    """The path with its parameters in plain braces, and the patterns that it puts on them."""
    rules: dict[str, str] = {}

    def plain(match: re.Match[str]) -> str:
        if match[2] is not None:
            rules[match[1]] = match[2].strip()
        return f"{{{match[1].lstrip('*')}}}"

    return re.sub(r"\{\s*(\*?[\w.-]+)\s*(?::((?:[^{}]|\{[^{}]*\})*))?\}", plain, path), rules


def path_parameters(service: Service, route: Route) -> Iterator[Taken]:
    """The parameters of the path: text, and always there."""
    for name in re.findall(r"\{(\w+)\}", route.path):
        handler = service.place(route.handler, route.scope)
        place = Place(handler.file, handler.line, route.path)
        pattern = route.path_rules.get(name)
        rules = (Rule("pattern", pattern, place),) if pattern else ()
        shape = Shape("string", rules=rules)
        yield Taken("path", name, shape, True, place, Origin("path", (name,)))


def uses(service: Service, *packages: str) -> bool:
    """True where the service asks for one of the packages, or imports it."""
    words = [f"{quote}{p}{quote}".encode() for p in packages for quote in ("'", '"')]
    imported = any(w in s.module.source for s in service.scopes for w in words)
    return imported or any(service.root.package(p) is not None for p in packages)


def major(service: Service, package: str, default: int) -> int:
    """The major version of a package that the manifest asks for."""
    found = service.root.package(package)
    digits = re.search(r"\d+", found.versions) if found is not None else None
    return int(digits[0]) if digits is not None else default
