"""The Python front end: tree-sitter's tree lowered to the neutral one."""

from mappu.syntax import nodes as n
from mappu.syntax.python.statements import Statements, parser


def parse(path: str, source: bytes) -> n.Module:
    """Return the file as a Module. Never raises on damaged source: what could not be read is in `damage`."""
    root = parser().parse(source).root_node
    lowering = Statements(source)
    body = lowering.block(root)
    if root.has_error:
        lowering.note_errors(root)
    return n.Module(path, "python", source, body, lowering.damage)


def expression(text: str, span: n.Span) -> n.Expr:
    """Return the one expression in `text` (a type written as a string), every node standing at `span`."""
    root = parser().parse(text.encode()).root_node
    found = next((c for c in root.named_children if c.type == "expression_statement"), None)
    if found is None or root.has_error:
        return n.Opaque(span, text)
    return Statements(text.encode(), at=span).expr(found.named_children[0])


front_end = n.FrontEnd("python", (".py", ".pyi"), parse, expression)
