"""Constraints that a service writes in XML beside its classes."""

from collections.abc import Iterator, Mapping
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from mappu.inventory.model import Place
from mappu.sources.text import load
from mappu.sources.walk import SourceFile
from mappu.syntax import nodes as n
from mappu.vocabularies.shape import Reader

_AT = n.Span(1, 0, 0)
# Class to property to annotations, each with the place it is written at.
Written = Mapping[str, Mapping[str, tuple[tuple[n.Mark, Place], ...]]]


def written(reader: Reader) -> Written:
    """Return the constraints of every mapping file of the service, by full class name and property."""
    found: dict[str, dict[str, tuple[tuple[n.Mark, Place], ...]]] = {}
    for document in reader.documents:
        if document.path.endswith(".xml"):
            for class_, name, mark, place in _of_file(document):
                fields = found.setdefault(class_, {})
                fields[name] = (*fields.get(name, ()), (mark, place))
    return found


def _of_file(file: SourceFile) -> Iterator[tuple[str, str, n.Mark, Place]]:
    data, _ = load(file)
    if data is None or b"constraint-mappings" not in data:
        return
    try:
        root = fromstring(data)
    except (ParseError, DefusedXmlException, ValueError):
        return
    for each in root.iter():
        each.tag = str(each.tag).rpartition("}")[2]
    package = root.findtext("default-package", "").strip()
    for bean in root.findall("bean"):
        name = bean.get("class", "")
        full = name if "." in name or not package else f"{package}.{name}"
        for part in (*bean.findall("field"), *bean.findall("getter")):
            if part.find("valid") is not None:
                mark = n.Mark(_AT, _name("jakarta.validation.Valid"), None, "annotation")
                yield full, part.get("name", ""), mark, Place(file.path, 1, "<valid/>")
            for constraint in part.findall("constraint"):
                annotation = constraint.get("annotation", "")
                mark = n.Mark(_AT, _name(annotation), tuple(_elements(constraint)), "annotation")
                place = Place(file.path, _line(data, annotation), f'<constraint annotation="{annotation}">')
                yield full, part.get("name", ""), mark, place


def _elements(constraint: Element) -> Iterator[n.Arg]:
    for each in (*constraint.findall("element"), *constraint.findall("message")):
        text = (each.text or "").strip()
        value: str | int = int(text) if text.lstrip("-").isdigit() else text
        yield n.Arg(n.Literal(_AT, value), each.get("name", each.tag))


def _name(full: str) -> n.Expr:
    first, *rest = (full or "?").split(".")
    found: n.Expr = n.Name(_AT, first)
    for part in rest:
        found = n.Member(_AT, found, part)
    return found


def _line(data: bytes, word: str) -> int:
    at = data.find(word.encode())
    return data.count(b"\n", 0, at) + 1 if at >= 0 else 1
