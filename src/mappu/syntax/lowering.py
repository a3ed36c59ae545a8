"""What every front end shares: where a node stands, what could not be read, and how deep lowering goes."""

from collections.abc import Callable, Mapping
from typing import Any, ClassVar

import tree_sitter

from mappu.syntax import nodes as n

# Deeper nesting than people write; it also keeps every recursive walk of the tree well inside Python's own limit.
MAX_DEPTH = 100
MAX_DAMAGE = 5
# A table of data, not a list of alternatives.
MAX_ITEMS = 2000

_TOP = n.Span(1, 0, 0)


class Lowering:
    """Lowers the nodes of one file, or of a part of it that begins at `start`. `at` overrides where they stand. A front end
    fills the two tables: the kinds of its nodes, and what lowers each."""

    expressions: ClassVar[Mapping[str, Callable[[Any, tree_sitter.Node], n.Expr]]] = {}
    statements: ClassVar[Mapping[str, Callable[[Any, tree_sitter.Node], tuple[n.Stmt, ...]]]] = {}
    # Nodes that only hold statements.
    blocks: ClassVar[frozenset[str]] = frozenset({"ERROR"})

    def __init__(
        self, source: bytes, at: n.Span | None = None, whole: bytes | None = None, start: n.Span = _TOP,
        damage: list[n.Damage] | None = None,
    ) -> None:  # fmt: skip
        self.source = source
        self.whole = source if whole is None else whole
        self.start = start
        self.at = at
        self.depth = 0
        self.damage = damage if damage is not None else []

    def span(self, node: tree_sitter.Node) -> n.Span:
        if self.at is not None:
            return self.at
        first = self.start
        return n.Span(node.start_point[0] + first.line, node.start_byte + first.start, node.end_byte + first.start)

    def text(self, node: tree_sitter.Node) -> str:
        return self.source[node.start_byte : node.end_byte].decode("utf-8", "replace")

    def opaque(self, node: tree_sitter.Node) -> n.Opaque:
        return n.Opaque(self.span(node), self.text(node)[:200])

    def note_errors(self, root: tree_sitter.Node) -> None:
        """Note where the source does not parse, outermost places only, a handful at most."""
        stack = [root]
        while stack and len(self.damage) < MAX_DAMAGE:
            node = stack.pop()
            if node.is_missing or node.type == "ERROR":
                self.damage.append(n.Damage(self.span(node).line, "syntax error: this part could not be read"))
            else:
                stack.extend(c for c in reversed(node.children) if c.has_error or c.is_missing)

    def module(self, path: str, language: str, root: tree_sitter.Node) -> n.Module:
        """The file as a Module, what does not parse noted."""
        body = self.whole_block(root)
        if root.has_error:
            self.note_errors(root)
        return n.Module(path, language, self.source, body, self.damage)

    def whole_block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        return self.block(node)

    def only(self, root: tree_sitter.Node) -> n.Expr:
        """The one expression that the source is, as it was read; opaque where it is none."""
        found = next((c for c in root.named_children if c.type == "expression_statement"), None)
        if found is None or root.has_error:
            return n.Opaque(self.span(root), self.source.decode())
        return self.inner(found)

    def too_deep(self, node: tree_sitter.Node) -> n.Opaque:
        self.damage.append(n.Damage(self.span(node).line, f"nested deeper than {MAX_DEPTH} levels"))
        return self.opaque(node)

    def field(self, node: tree_sitter.Node, name: str) -> tree_sitter.Node:
        found = node.child_by_field_name(name)
        return found if found is not None else node

    def opt(self, node: tree_sitter.Node, name: str) -> n.Expr | None:
        found = node.child_by_field_name(name)
        return self.expr(found) if found is not None else None

    def expr(self, node: tree_sitter.Node) -> n.Expr:
        handler = self.expressions.get(node.type)
        if handler is None:
            return self.opaque(node)
        self.depth += 1
        found = handler(self, node) if self.depth <= MAX_DEPTH else self.too_deep(node)
        self.depth -= 1
        return found

    def inner(self, node: tree_sitter.Node) -> n.Expr:
        named = [c for c in node.named_children if c.type != "comment"]
        return self.expr(named[0]) if named else self.opaque(node)

    def choice(self, node: tree_sitter.Node) -> n.Expr:
        parts = [self.expr(self.field(node, f)) for f in ("condition", "consequence", "alternative")]
        return n.Choice(self.span(node), *parts)

    def assigned(self, node: tree_sitter.Node) -> n.Expr:
        return n.Bind(self.span(node), self.expr(self.field(node, "left")), self.expr(self.field(node, "right")))

    def name(self, node: tree_sitter.Node) -> n.Expr:
        return n.Name(self.span(node), self.text(node))

    def block(self, node: tree_sitter.Node | None) -> tuple[n.Stmt, ...]:
        if node is None:
            return ()
        self.depth += 1
        found: list[n.Stmt] = []
        if self.depth > MAX_DEPTH:
            found.append(self.too_deep(node))
        else:
            for child in node.named_children:
                found.extend(self.statement(child))
        self.depth -= 1
        return tuple(found)

    def statement(self, node: tree_sitter.Node) -> tuple[n.Stmt, ...]:
        if node.type in self.blocks:
            # What can be made out inside a damaged part still counts; the damage itself is noted once a file.
            return self.block(node)
        handler = self.statements.get(node.type)
        return handler(self, node) if handler is not None else ()
