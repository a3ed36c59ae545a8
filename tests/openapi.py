"""A FastAPI app's own document, flattened into Mappu's words."""

import importlib.util
import sys
from pathlib import Path
from typing import Any

KINDS = ("enum", "const", "minLength", "maxLength", "pattern", "minimum", "maximum", "exclusiveMinimum", "exclusiveMaximum",
         "multipleOf", "minItems", "maxItems", "uniqueItems", "minProperties", "maxProperties", "format")  # fmt: skip
# Formats the document adds for display only, or that Mappu holds as a type.
DISPLAY = {"password", "binary", "path", "directory-path", "file-path", "multi-host-uri"}
Flat = dict[tuple[str, str, str, str], tuple[str, bool, bool, frozenset[tuple[str, Any]]]]


def load(path: Path) -> Any:
    """Import a service's main.py under a name of its own."""
    sys.path.insert(0, str(path.parent))
    before = set(sys.modules)
    try:
        spec = importlib.util.spec_from_file_location(f"service_{abs(hash(str(path)))}", path)
        assert spec is not None
        assert spec.loader is not None
        module = importlib.util.module_from_spec(spec)
        sys.modules[spec.name] = module
        spec.loader.exec_module(module)
        return module
    finally:
        sys.path.remove(str(path.parent))
        for name in set(sys.modules) - before:
            if getattr(sys.modules[name], "__file__", None) and str(path.parent) in str(sys.modules[name].__file__):
                del sys.modules[name]


def flatten(document: dict[str, Any]) -> Flat:
    """Return {(method, path, in, field): (type, required, nullable, limits)}."""
    found: Flat = {}
    for path, methods in document["paths"].items():
        for method, operation in methods.items():
            verb = method.upper()
            for p in operation.get("parameters", ()):
                _walk(document, found, (verb, path, p["in"]), p["name"], p["schema"], p.get("required", False))
            content = operation.get("requestBody", {}).get("content", {})
            for media, body in content.items():
                place = "body" if media == "application/json" else "form"
                _body(document, found, (verb, path, place), body["schema"])
    return found


def _resolve(document: dict[str, Any], schema: dict[str, Any]) -> dict[str, Any]:
    while "$ref" in schema or len(schema.get("allOf", ())) == 1:
        extra = {k: v for k, v in schema.items() if k not in ("$ref", "allOf")}
        inner = (
            schema["allOf"][0]
            if "allOf" in schema
            else document["components"]["schemas"][schema["$ref"].rpartition("/")[2]]
        )
        schema = {**inner, **extra}
    return schema


def _arms(document: dict[str, Any], schema: dict[str, Any]) -> tuple[list[dict[str, Any]], bool]:
    schema = _resolve(document, schema)
    if "anyOf" not in schema and "oneOf" not in schema:
        return [schema], False
    listed = [_resolve(document, s) for s in schema.get("anyOf", schema.get("oneOf"))]
    own = {k: v for k, v in schema.items() if k in KINDS}
    real = [{**s, **own} for s in listed if s.get("type") != "null"]
    nested = [a for s in real for a in _arms(document, s)[0]]
    return nested, len(real) < len(listed)


def _body(document: dict[str, Any], found: Flat, at: tuple[str, str, str], schema: dict[str, Any]) -> None:
    arms, _ = _arms(document, schema)
    if arms and all("properties" in a for a in arms):
        _properties(document, found, at, "", arms, ())
    else:
        _walk(document, found, at, "", schema, False)


def _properties(
    document: dict[str, Any], found: Flat, at: tuple[str, str, str], prefix: str, arms: list[dict[str, Any]],
    seen: tuple[str, ...],
) -> None:  # fmt: skip
    names = dict.fromkeys(n for a in arms for n in a.get("properties", {}))
    for name in names:
        having = [a["properties"][name] for a in arms if name in a.get("properties", {})]
        required = len(having) == len(arms) and all(name in a.get("required", ()) for a in arms)
        schema = having[0] if len(having) == 1 else {"anyOf": having}
        _walk(document, found, at, f"{prefix}.{name}" if prefix else name, schema, required, seen)


def _walk(
    document: dict[str, Any], found: Flat, at: tuple[str, str, str], path: str, schema: dict[str, Any], required: bool,
    seen: tuple[str, ...] = (),
) -> None:  # fmt: skip
    arms, nullable = _arms(document, schema)
    if [a.get("type") for a in arms] == ["null"]:
        arms, nullable = [{}], True
    types = sorted({_type(a, at[2]) for a in arms})
    type_ = types[0] if len(types) == 1 else "number" if set(types) <= {"integer", "number"} else "any"
    if types == ["number", "string"]:  # a decimal
        type_, arms = "number", [a for a in arms if a.get("type") == "number"]
    limits = set()
    for arm in arms:
        for kind in KINDS:
            if (
                kind in arm
                and not (kind == "format" and arm[kind] in DISPLAY)
                and not (kind == "uniqueItems" and not arm[kind])
            ):
                value = "uuid" if arm[kind] == "uuid4" else arm[kind]
                limits.add((kind, tuple(value) if isinstance(value, list) else value))
    consts = sorted(v for k, v in limits if k == "const")
    if len(consts) > 1:
        limits = {x for x in limits if x[0] != "const"} | {("enum", tuple(consts))}
    if path:
        found[(*at, path)] = (type_, required, nullable, frozenset(limits))
    titles = tuple(a["title"] for a in arms if "properties" in a and "title" in a)
    if any(t in seen for t in titles) or len(seen) > 6:
        return
    objects = [a for a in arms if "properties" in a]
    if objects:
        _properties(document, found, at, path, objects, (*seen, *titles))
    for arm in arms:
        if "prefixItems" in arm:
            arm["items"] = {"anyOf": arm["prefixItems"]}
        for key, step in (("items", "[]"), ("additionalProperties", "{}")):
            if isinstance(arm.get(key), dict):
                inner, _ = _arms(document, arm[key])
                if all("properties" in a for a in inner) and inner:
                    names = tuple(a.get("title", "") for a in inner)
                    if not any(n in (*seen, *titles) for n in names):
                        _properties(document, found, at, path + step, inner, (*seen, *titles, *names))
                else:
                    _walk(document, found, at, path + step, arm[key], False, (*seen, *titles))


def _type(schema: dict[str, Any], place: str) -> str:
    if place == "form" and (schema.get("format") == "binary" or "contentMediaType" in schema):
        return "file"
    if "const" in schema or "enum" in schema:
        values = schema.get("enum", [schema.get("const")])
        if "type" not in schema and values:
            return {str: "string", int: "integer", bool: "boolean"}.get(type(values[0]), "any")
    return str(schema.get("type", "any"))
