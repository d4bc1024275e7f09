"""The pictures that a CSS value names, and which of them a browser takes on a screen."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

from ivory_thistle.core.references.addresses import join
from ivory_thistle.core.selection.lengths import comma_parts, resolution, significant
from ivory_thistle.core.selection.screen import Screen

SHORTHANDS: Mapping[str, str] = {
    "background": "background-image", "list-style": "list-style-image", "border-image": "border-image-source",
    "mask": "mask-image", "-webkit-mask": "mask-image", "-webkit-mask-image": "mask-image",
    "-webkit-border-image": "border-image-source", "border": "border-image-source",
    "-webkit-mask-box-image": "-webkit-mask-box-image-source", "marker": "marker-start",
}  # fmt: skip
"""Under which longhand each property counts that may name pictures."""
PICTURED = frozenset(
    {"background-image", "list-style-image", "border-image-source", "mask-image", "content", "shape-outside",
     "cursor", "filter", "clip-path", "-webkit-box-reflect", "-webkit-mask-box-image-source", "backdrop-filter",
     "fill", "stroke", "marker-start", "marker-mid", "marker-end"}
)  # fmt: skip
"""Properties whose pictures Chromium loads for every box that has them (found out by asking it)."""
IMAGE_SETS = frozenset({"image-set", "-webkit-image-set"})


def longhand(name: str) -> str:
    """The name under which a property's declarations count; custom properties keep theirs."""
    return name if name.startswith("--") else SHORTHANDS.get(name.lower(), name.lower())


def address_of(node: Any) -> str | None:
    """The address of a `url()` or string node."""
    if node.type in ("url", "string"):
        return str(node.value)
    if node.type == "function" and node.lower_name == "url":
        inner = significant(node.arguments)
        return str(inner[0].value) if inner and inner[0].type == "string" else None
    return None


def addresses_in(nodes: Iterable[Any], base: str) -> Iterator[str]:
    """Every absolute address that is named anywhere in component values, strings among them."""
    waiting = list(nodes)
    while waiting:
        node = waiting.pop()
        absolute = join(base, address) if (address := address_of(node)) else None
        if absolute:
            yield absolute
        waiting += getattr(node, "content", None) or getattr(node, "arguments", None) or ()


def pictures_in(value: Sequence[Any], base: str, screen: Screen, shown: frozenset[str]) -> list[str]:
    """The absolute addresses of the pictures that a value (its `var()` replaced) loads on a screen."""
    found: list[str] = []
    for node in value:
        address = address_of(node) if node.type != "string" else None
        if node.type == "function" and node.lower_name in IMAGE_SETS:
            option = image_set_option(node.arguments, screen, shown)
            address = option
        elif node.type == "function" and address is None:
            found += pictures_in(node.arguments, base, screen, shown)
        if address and not address.startswith("#"):
            absolute = join(base, address)
            if absolute:
                found.append(absolute)
    return found


def image_set_option(arguments: Sequence[Any], screen: Screen, shown: frozenset[str]) -> str | None:
    """The address of the option that a browser takes of an `image-set()`.

    https://drafts.csswg.org/css-images-4/#image-set-notation leaves the pick to the browser; as for `srcset`,
    Chromium takes the smallest resolution that is not below the screen's, else the largest, and of equal ones the
    first.
    """
    options: dict[float, str | None] = {}
    for part in comma_parts(arguments):
        nodes = significant(part)
        if not nodes:
            continue
        density, kind = 1.0, None
        for node in nodes[1:]:
            if node.type == "function" and node.lower_name == "type":
                inner = significant(node.arguments)
                kind = inner[0].value.lower() if inner and inner[0].type == "string" else ""
            else:
                density = resolution(node, screen) or density
        if kind is None or kind in shown:
            options.setdefault(density, address_of(nodes[0]))
    if not options:
        return None
    enough = [density for density in sorted(options) if density >= screen.density]
    return options[enough[0] if enough else max(options)]
