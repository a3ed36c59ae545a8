"""What Maven and Gradle builds ask for: `group:artifact` and the version as far as the build file tells it."""

import re
import tomllib
from collections.abc import Iterator
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

# Parents outside a checkout that bring no packages by themselves.
_PLAIN_PARENTS = ("org.springframework.boot", "io.micronaut", "io.quarkus")
_GRADLE = re.compile(r"""["']([\w.-]+):([\w.-]+)(?::([\w.$\{\}-]+))?(?:@\w+)?["']""")
_PLUGIN = re.compile(r"""id\s*\(?\s*["']([\w.-]+)["']\s*\)?\s*version\s*\(?\s*["']([\w.-]+)["']""")
_VARIABLE = re.compile(r"""(?:ext\.|val\s+|def\s+|set\(\s*['"])?(\w+)['"]?\s*[=,]\s*['"]([\w.-]+)['"]""")
_NAME = re.compile(r"""rootProject\.name\s*=\s*["']([^"']+)["']""")

Found = tuple[str, str]


class Broken(ValueError):
    """A build file that is no XML."""


def maven(text: str) -> tuple[str | None, list[Found], bool]:
    """Return the artifact's name, what a pom asks for, and whether that is all it gets."""
    try:
        root = fromstring(text)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise Broken(str(error)) from None
    for each in root.iter():
        # Elements come with the namespace in front.
        each.tag = str(each.tag).rpartition("}")[2]
    known = {f"${{{p.tag}}}": (p.text or "").strip() for p in root.findall("./properties/*")}
    parent = root.find("parent")
    found: list[Found] = []
    complete = True
    if parent is not None:
        group, artifact, version = (_text(parent, x) for x in ("groupId", "artifactId", "version"))
        found.append((f"{group}:{artifact}", version))
        known |= {"${project.version}": version, "${project.parent.version}": version}
        complete = group.startswith(_PLAIN_PARENTS)
    for path in ("./dependencies/dependency", "./dependencyManagement/dependencies/dependency",
                 "./profiles/profile/dependencies/dependency"):  # fmt: skip
        found.extend(_dependency(d, known) for d in root.findall(path))
    return _text(root, "artifactId") or None, found, complete


def _dependency(node: Element, known: dict[str, str]) -> Found:
    version = _text(node, "version")
    return f"{_text(node, 'groupId')}:{_text(node, 'artifactId')}", known.get(version, version)


def _text(node: Element, name: str) -> str:
    found = node.find(name)
    return (found.text or "").strip() if found is not None else ""


def gradle(text: str) -> tuple[str | None, list[Found], bool]:
    """The same of a Gradle build: a program, of which the plain mentions of packages are read."""
    variables: dict[str, str] = {m[1]: m[2] for m in _VARIABLE.finditer(text)}
    found: list[Found] = []
    for group, artifact, version in _GRADLE.findall(text):
        plain = version.strip("${}")
        found.append((f"{group}:{artifact}", variables.get(plain, version)))
    found.extend((f"plugin:{name}", version) for name, version in _PLUGIN.findall(text))
    named = _NAME.search(text)
    return named[1] if named is not None else None, found, "project(" not in text and "libs." not in text


def flags(text: str) -> frozenset[str]:
    """The options that a build file gives the compiler, those that begin with -X."""
    return frozenset(re.findall(r"-X[a-z][\w-]*", text))


def catalogue(text: str) -> list[Found]:
    """What a version catalogue lists."""
    data = tomllib.loads(text)
    versions: dict[str, Any] = data.get("versions", {})
    return [*_listed(data.get("libraries", {}), versions, "module"), *_listed(data.get("plugins", {}), versions, "id")]


def _listed(table: dict[str, Any], versions: dict[str, Any], key: str) -> Iterator[Found]:
    for value in table.values():
        if isinstance(value, str):
            name, _, version = value.rpartition(":")
        else:
            name = value.get(key) or f"{value.get('group')}:{value.get('name')}"
            version = value.get("version", "")
            version = versions.get(version.get("ref", ""), "") if isinstance(version, dict) else version
        yield (f"plugin:{name}" if key == "id" else name), str(version)
