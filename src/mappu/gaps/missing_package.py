"""A package that the rules need and the manifest does not ask for."""

from collections.abc import Iterator

from mappu.gaps.base import gap
from mappu.inventory.model import Gap
from mappu.pipeline.evidence import Scan
from mappu.sources.manifests import ServiceRoot

kind = "missing-package"

# package -> what else brings it: (package, extras of which any does).
_BROUGHT: dict[str, tuple[tuple[str, frozenset[str]], ...]] = {
    "email-validator": (("pydantic", frozenset({"email"})), ("fastapi", frozenset({"standard", "all"}))),
    "python-multipart": (("fastapi", frozenset({"standard", "all"})), ("multipart", frozenset())),
    "pydantic-settings": (("fastapi", frozenset({"standard", "all"})),),
}
_VALIDATION = "org.springframework.boot:spring-boot-starter-validation"
_LOSS = {
    _VALIDATION: "without anything that runs the rules, @Valid does nothing",
    "class-validator": "without it the validation pipe stops the service at start",
    "class-transformer": "without it the validation pipe stops the service at start",
    "email-validator": "without it the type cannot be made and the service does not start",
    "python-multipart": "without it a route with form data cannot be made and the service does not start",
    "pydantic-settings": "without it the import fails and the service does not start",
}


def find(scan: Scan) -> Iterator[Gap]:
    done: set[tuple[str, str]] = set()
    for route in scan.routes:
        root = route.service.root
        for package, place in route.needs:
            key = (root.path, package)
            if key in done or not root.lists_packages or _has(root, package):
                continue
            done.add(key)
            manifest = root.place.file
            why = f"`{place.text}` needs {package}, and {manifest} does not ask for it: {_LOSS[package]}"
            yield gap(kind, route, place, why, f"add {package} to {manifest}")


def _has(root: ServiceRoot, package: str) -> bool:
    if root.package(package) is not None:
        return True
    for other, extras in _BROUGHT.get(package, ()):
        found = root.package(other)
        if found is not None and (not extras or found.extras & extras):
            return True
    return False
