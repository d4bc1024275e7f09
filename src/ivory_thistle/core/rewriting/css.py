"""Backgrounds rewritten by position: `image-set()` with typed candidates, a plain fallback before it."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

from ivory_thistle.core.references.css import CssReading
from ivory_thistle.core.references.site import Placement
from ivory_thistle.core.references.source import Edit
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile, sibling_address
from ivory_thistle.core.selection.tier import MODERN_TIERS, TIERS, Tier

Outcomes = dict[tuple[str, int], dict[Tier, str]]
"""For a rewritten placement (source path, start), the file that each tier is given."""


def rewrite_declarations(
    text: str,
    sheet: CssReading,
    placements: Iterable[Placement],
    deliveries: Mapping[str, Delivery],
    offset: int = 0,
    quote: str = '"',
) -> tuple[list[Edit], Outcomes]:
    """Edits for every background declaration that names a delivered original.

    `text` was read as `sheet`; placements and edits count from `offset` before it. `quote` is the quote
    that may be used within (a style attribute holds the other one).
    """
    by_start = {p.start: p for p in placements if p.file in deliveries and p.use == "background"}
    edits: list[Edit] = []
    outcomes: Outcomes = {}
    for number, declaration in enumerate(sheet.declarations):
        plain, modern, at, touched = "", "", declaration.start, False
        for reference in sheet.references:
            placement = by_start.get(reference.start + offset)
            if reference.declaration != number or not placement:
                continue
            delivery = deliveries[placement.file or ""]
            between = text[at : reference.start]
            fallback = _plain_fallback(delivery)
            kept = text[reference.start : reference.end]
            plain += between + (_url(placement.address, fallback, quote) if fallback else kept)
            modern += between + _image_set(placement.address, delivery, kept, quote)
            at, touched = reference.end, True
            got: dict[Tier, str] = {t: f.path for t in MODERN_TIERS if (f := delivery.widest(t))}
            if fallback:
                got["baseline"] = fallback.path
            outcomes[(placement.source, placement.start)] = got
        if touched:
            rest = text[at : declaration.end]
            both = plain + rest if plain + rest == modern + rest else f"{(plain + rest).rstrip()};{modern}{rest}"
            edits.append(Edit(declaration.start + offset, declaration.end + offset, both))
    return edits, outcomes


def _plain_fallback(delivery: Delivery) -> NewFile | None:
    """The fallback file for a plain `url()`: only one of the original's own size, since a background
    without `background-size` is painted at its file's pixels."""
    new = delivery.widest("baseline")
    return new if new and new.width == delivery.width else None


def _image_set(address: str, delivery: Delivery, original: str, quote: str) -> str:
    """Typed candidates, the best first, each with the resolution that keeps the painted size."""
    options: list[str] = []
    for tier in TIERS:
        new = delivery.widest(tier)
        if new and (tier != "baseline" or options):
            kind = f" type({quote}{new.mime}{quote})" if tier != "baseline" else ""
            options.append(f"{_url(address, new, quote)}{kind} {new.width / delivery.width:.4g}x")
        elif tier == "baseline" and options:
            options.append(f"{original} 1x")
    if options:
        return f"image-set({', '.join(options)})"
    fallback = _plain_fallback(delivery)
    return _url(address, fallback, quote) if fallback else original


def _url(address: str, new: NewFile, quote: str) -> str:
    """`url()` of a new file, quoted; quotes in the address are percent-encoded."""
    safe = sibling_address(address, new.path).replace("\\", "%5C").replace('"', "%22").replace("'", "%27")
    return f"url({quote}{safe}{quote})"
