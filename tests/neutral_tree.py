"""Nodes of the neutral tree in one line, for tables of what source is lowered to."""

from typing import Any

from mappu.syntax import nodes as n


def shown(x: Any) -> str:
    """A node in one line, spans left out."""
    match x:
        case n.Name(id=name):
            return name
        case n.Literal(value=value):
            return repr(value)
        case n.Member(value=base, name=name, safe=safe):
            return f"{shown(base)}{'?.' if safe else '.'}{name}"
        case n.Index(value=base, index=index):
            return f"{shown(base)}[{shown(index)}]"
        case n.Call(func=func, args=args):
            return f"{shown(func)}({', '.join(('...' if a.spread else '') + shown(a.value) for a in args)})"
        case n.Unary(op=op, value=value):
            return f"{op} {shown(value)}"
        case n.Binary(op=op, left=left, right=right):
            return f"({shown(left)} {op} {shown(right)})"
        case n.Entries(entries=entries):
            return "{" + ", ".join(f"{shown(k) if k else '...'}: {shown(v)}" for k, v in entries) + "}"
        case n.Items(items=items):
            return "[" + ", ".join(map(shown, items)) + "]"
        case n.Template(parts=parts):
            return "text(" + ", ".join(map(shown, parts)) + ")"
        case n.Choice(test=test, then=then, other=other):
            return f"({shown(test)} ? {shown(then)} : {shown(other)})"
        case n.Bind(target=target, value=value):
            return f"{shown(target)} := {shown(value)}"
        case n.Function(name=name, params=params, body=body, is_async=is_async):
            inside = "; ".join(map(shown, body))
            return f"{'async ' if is_async else ''}function {name}({', '.join(p.name for p in params)}) {{{inside}}}"
        case n.Class(name=name, form=form, body=body, bases=bases):
            below = f" < {', '.join(shown(b.value) for b in bases)}" if bases else ""
            return f"{form} {name}{below} {{{'; '.join(map(shown, body))}}}"
        case n.Variable(name=name, type=type_, value=value, marks=marks):
            said = "".join(f"@{shown(m.as_call())} " for m in marks) + name
            return said + (f": {shown(type_)}" if type_ else "") + (f" = {shown(value)}" if value else "")
        case n.Assign(targets=targets, value=value):
            return f"{', '.join(map(shown, targets))} = {shown(value)}"
        case n.Import(module=module, name=name, alias=alias, only_type=only):
            return f"import {'type ' if only else ''}{module}#{name} as {alias}"
        case n.Export(name=name, value=value):
            return f"export {name} = {shown(value)}"
        case n.Do(value=value):
            return shown(value)
        case n.Leave(kind=kind, value=value):
            return kind + (f" {shown(value)}" if value else "")
        case n.If(test=test, then=then, other=other):
            return f"if {shown(test)} [{'; '.join(map(shown, then))}] [{'; '.join(map(shown, other))}]"
        case n.Loop(target=target, over=over, body=body):
            return f"for {shown(target) if target else ''} in {shown(over) if over else ''} [{'; '.join(map(shown, body))}]"
        case n.Try(body=body, catches=catches):
            caught = "; ".join(f"{[shown(t) for t in c.types]}: {'; '.join(map(shown, c.body))}" for c in catches)
            return f"try [{'; '.join(map(shown, body))}] catch [{caught}]"
        case n.Switch(subject=subject, cases=cases):
            arms = "; ".join(f"{[shown(p) for p in c.patterns]}: {'; '.join(map(shown, c.body))}" for c in cases)
            return f"switch {shown(subject)} [{arms}]"
        case n.Alias(name=name, value=value):
            return f"type {name} = {shown(value)}"
    return type(x).__name__
