"""Custom properties of CSS: what `var()` comes to on an element.

https://drafts.csswg.org/css-variables/
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import tinycss2

from ivory_thistle.core.selection.lengths import comma_parts, significant

_INHERITED = frozenset({"inherit", "unset", "revert", "revert-layer"})
_DEEPEST = 100
_MOST_NODES = 5_000

Value = Sequence[Any]
"""Component values as tinycss2 has them."""


class Variables:
    """The custom properties of one element: its own, as declared, and what it inherits, as computed there.

    None stands for a value that is invalid: one of a cycle, one that names what is not there, or one beyond measure.
    An address in a value is left as it is: it resolves against the sheet that uses it, as Chromium does.
    """

    def __init__(self, own: Mapping[str, Value], around: Variables | None = None) -> None:
        # What is inherited by its word is as if it were not declared.
        self._own = {name: value for name, value in own.items() if _word(value) not in _INHERITED}
        self._around = around
        self._computed: dict[str, Value | None] = {}
        self._open: list[str] = []
        self._cyclic: set[str] = set()
        self._depth: list[int] = around._depth if around else [0]
        """How many values are being worked out within one another, in all elements."""

    def below(self, own: Mapping[str, Value]) -> Variables:
        """Those of an element inside, or of a pseudo-element, that declares some of its own."""
        return Variables(own, self) if own else self

    def substituted(self, value: Value) -> Value | None:
        """A value with every `var()` replaced.

        https://drafts.csswg.org/css-variables/#substitute-a-var
        """
        if self._depth[0] >= _DEEPEST:
            return None
        self._depth[0] += 1
        found = self._replaced(value)
        self._depth[0] -= 1
        return found

    def _replaced(self, value: Value) -> Value | None:
        found: list[Any] = []
        for node in value:
            if node.type == "function" and node.lower_name == "var":
                inner = self._named(node.arguments)
            elif node.type == "function" and node.arguments:
                inner = self._function(node)
            else:
                inner = [node]
            if inner is None:
                return None
            found += inner
            # Variables that name others twice would grow without end.
            if len(found) > _MOST_NODES:
                return None
        return found

    def _function(self, node: Any) -> Value | None:
        arguments = self.substituted(node.arguments)
        if arguments is None:
            return None
        return [tinycss2.ast.FunctionBlock(node.source_line, node.source_column, node.name, list(arguments))]

    def _named(self, arguments: Value) -> Value | None:
        """What `var()` of these arguments stands for: the property that it names, else its fallback."""
        parts = comma_parts(arguments)
        name = significant(parts[0])
        value = self._value(name[0].value) if name and name[0].type == "ident" else None
        if value is not None or len(parts) == 1:
            return value
        return self.substituted(_after_comma(arguments))

    def _value(self, name: str) -> Value | None:
        at: Variables | None = self
        passed: list[Variables] = []
        while at is not None and name not in at._own and name not in at._computed:
            passed.append(at)
            at = at._around
        value = at._compute(name) if at is not None else None
        for inside in passed:
            inside._computed[name] = value
        return value

    def _compute(self, name: str) -> Value | None:
        """The computed value of a property. All those of a cycle are invalid, whatever their fallbacks."""
        if name in self._computed:
            return self._computed[name]
        if name in self._open:
            self._cyclic.update(self._open[self._open.index(name) :])
            return None
        self._open.append(name)
        value = None if _word(self._own[name]) == "initial" else self.substituted(self._own[name])
        self._open.pop()
        self._computed[name] = None if name in self._cyclic else value
        return self._computed[name]


def _word(value: Value) -> str:
    nodes = significant(value)
    return nodes[0].lower_value if len(nodes) == 1 and nodes[0].type == "ident" else ""


def _after_comma(arguments: Value) -> Value:
    at = next(n for n, node in enumerate(arguments) if node.type == "literal" and node.value == ",")
    return arguments[at + 1 :]
