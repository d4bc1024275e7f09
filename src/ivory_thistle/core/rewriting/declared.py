"""What declarations say of an element's box: whether it depends on its file, and what an added element would change."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable
from xml.etree.ElementTree import Element

from ivory_thistle.core.selection.cascade import Declared
from ivory_thistle.core.selection.lengths import significant

INHERITED = frozenset(
    {"azimuth", "border-collapse", "border-spacing", "caption-side", "color", "cursor", "direction", "empty-cells",
     "font", "font-family", "font-size", "font-size-adjust", "font-stretch", "font-style", "font-variant",
     "font-weight", "font-feature-settings", "font-kerning", "font-optical-sizing", "font-variation-settings",
     "hyphens", "image-orientation", "image-rendering", "letter-spacing", "line-break", "line-height", "list-style",
     "list-style-image", "list-style-position", "list-style-type", "orphans", "overflow-wrap", "pointer-events",
     "quotes", "tab-size", "text-align", "text-align-last", "text-indent", "text-rendering", "text-shadow",
     "text-transform", "user-select", "visibility", "white-space", "widows", "word-break", "word-spacing",
     "word-wrap", "writing-mode", "color-scheme", "accent-color"}
)  # fmt: skip
"""Properties that go on from an element without a box to what is in it."""
_ADDING = frozenset(
    {"all", "zoom", "text-decoration", "text-decoration-line", "counter-increment", "counter-reset", "counter-set",
     "content-visibility"}
)  # fmt: skip
"""Properties of an element without a box that add to those of what is in it."""
_SAFE_ON_ALL = re.compile(r"[\d.](?:em|ex|ch|cap|ic|lh|%)|larger|smaller|bolder|lighter|inherit|var\(", re.IGNORECASE)
SIZES = frozenset(
    {"width", "height", "inline-size", "block-size", "min-width", "min-height", "max-width", "max-height",
     "min-inline-size", "min-block-size", "max-inline-size", "max-block-size", "aspect-ratio", "object-fit", "zoom",
     "all", "content", "box-sizing", "position", "float", "display", "flex", "flex-basis", "flex-grow", "flex-shrink",
     "align-self", "justify-self", "place-self", "contain", "contain-intrinsic-size", "container-type", "grid-area",
     "grid-column", "grid-row", "columns", "column-span", "margin", "vertical-align"}
)  # fmt: skip
_WIDTHS, _HEIGHTS = frozenset({"width", "inline-size"}), frozenset({"height", "block-size"})
_LIMITS = frozenset(p for p in SIZES if p.startswith(("min-", "max-")))
_GROWING = frozenset(
    {"min-width", "min-height", "min-inline-size", "min-block-size", "aspect-ratio", "object-fit", "zoom", "transform",
     "scale", "flex", "flex-grow", "flex-basis", "all"}
)  # fmt: skip
_HARMLESS_TO_SIZE = frozenset(
    {"box-sizing", "float", "margin", "vertical-align", "max-width", "max-inline-size", "display", "object-fit"}
)
_ABSOLUTE_UNITS = frozenset(
    {"px", "in", "cm", "mm", "q", "pt", "pc", "em", "rem", "ex", "ch", "vw", "vh", "vmin", "vmax", "svw", "svh", "lvw",
     "lvh", "dvw", "dvh"}
)  # fmt: skip


def words_of(declared: Declared) -> list[str]:
    """The words and other tokens of a value, each by itself."""
    return [n.lower_value if n.type == "ident" else n.serialize() for n in significant(declared.value)]


def is_seen_through(declared: Declared, on_img_too: bool) -> bool:
    """Whether a declaration for an added `picture` without a box could be seen."""
    if declared.property == "display":
        return declared.important
    if declared.property in _ADDING:
        return True
    if declared.property.startswith("--"):
        return not on_img_too
    if declared.property not in INHERITED:
        return False
    said = "".join(n.serialize() for n in declared.value)
    return not on_img_too or _SAFE_ON_ALL.search(said) is not None


def is_fixed(node: Element, declared: Iterable[tuple[Declared, bool]]) -> bool:
    """Whether an `img` has the same box whatever size its file has: one side is given in px or the like."""
    by_name: dict[str, list[tuple[Declared, bool]]] = {}
    for d, always in declared:
        by_name.setdefault(d.property, []).append((d, always))
    if by_name.keys() & {"all", "content", "zoom"}:
        return False
    if any(w not in ("auto", "none") for name in by_name.keys() & _LIMITS for d, _ in by_name[name] if (w := _key(d))):
        return False
    if any(words_of(d) not in (["cover"], ["contain"], ["fill"]) for d, _ in by_name.get("object-fit", ())):
        return False
    widths = [one for name in _WIDTHS for one in by_name.get(name, ())]
    heights = [one for name in _HEIGHTS for one in by_name.get(name, ())]
    if widths and not all(_absolute(d) for d, _ in widths):
        return all(words_of(d) == ["auto"] or _absolute(d) for d, _ in widths) and _side(node, heights, "height")
    return _side(node, widths, "width") or (not widths and _side(node, heights, "height"))


def is_as_declared(node: Element, declared: Iterable[tuple[Declared, bool]]) -> bool:
    """Whether no rule could show an `img` wider, or its picture larger, than its `width` attribute says."""
    grows = _WIDTHS | _HEIGHTS | _GROWING
    return node.get("width") is not None and not any(
        d.property in grows and words_of(d) not in (["auto"], ["none"], ["0"]) for d, _ in declared
    )


def _side(node: Element, declared: Collection[tuple[Declared, bool]], attribute: str) -> bool:
    """Whether one side is always given, by rules or by its attribute."""
    given = re.fullmatch(r"\s*\d+(?:\.\d*)?(?:px)?\s*", node.get(attribute) or "") is not None
    return all(_absolute(d) for d, _ in declared) and (given or any(always for _, always in declared))


def _absolute(declared: Declared) -> bool:
    nodes = significant(declared.value)
    return len(nodes) == 1 and nodes[0].type == "dimension" and nodes[0].lower_unit in _ABSOLUTE_UNITS


def _key(declared: Declared) -> str:
    """A value's one keyword; empty where it is a length or share."""
    nodes = significant(declared.value)
    if len(nodes) == 1 and nodes[0].type in ("dimension", "percentage", "number"):
        return ""
    return nodes[0].lower_value if len(nodes) == 1 and nodes[0].type == "ident" else "?"


def is_sizable(node: Element, declared: Iterable[tuple[Declared, bool]]) -> bool:
    """Whether `width` and `height` attributes in the file's own proportions leave an `img`'s box as it is."""
    height_auto = False
    capped = False
    for d, always in declared:
        if d.property not in SIZES and not d.property.startswith(("padding", "border")):
            continue
        words = words_of(d)
        if d.property in _HEIGHTS | _WIDTHS:
            if words != ["auto"]:
                return False
            height_auto |= always and d.property in _HEIGHTS
        elif d.property == "display":
            if words not in (["block"], ["inline"], ["inline-block"]):
                return False
        elif d.property in ("max-width", "max-inline-size"):
            if _key(d):
                return False
            capped = True
        elif d.property.startswith(("padding", "border")):
            if not d.property.endswith(("radius", "color", "collapse", "spacing")) and words != ["0"]:
                return False
        elif d.property not in _HARMLESS_TO_SIZE:
            return False
    return height_auto or (not capped and node.get("width") is None and node.get("height") is None)
