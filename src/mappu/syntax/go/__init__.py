"""The Go front end: tree-sitter's tree lowered to the neutral one."""

import re

from mappu.syntax import nodes as n
from mappu.syntax.go.expressions import NEW, parser
from mappu.syntax.go.statements import Statements

_NEW = re.compile(rb"\bnew\((?!\s*(?:[\[*]|map\[|struct\b|func\b|chan\b|interface\b))")


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root, text = parser().parse(source).root_node, source
    if root.has_error and _NEW.search(source):
        # The grammar takes a type there and nothing else; the language takes a value as well.
        text = _NEW.sub(NEW.encode() + b"(", source)
        root = parser().parse(text).root_node
    found = Statements(text).module(path, "go", root)
    return n.Module(path, "go", source, found.body, found.damage)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text`, every node standing at `span`."""
    source = f"package p\nvar _ = {text}\n".encode()
    root = parser().parse(source).root_node
    found = Statements(source, at=span).block(root)
    last = found[-1] if found and not root.has_error else None
    return last.value if isinstance(last, n.Variable) and last.value is not None else n.Opaque(span, text)


front_end = n.FrontEnd("go", (".go",), parse, expression)
