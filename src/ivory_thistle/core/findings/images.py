"""Findings about image files: format, colour, metadata, names, copies."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Iterator, Sequence

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.findings.catalogue import (
    BALLAST_BYTES,
    DISTORTED_SHARE,
    JPEG_QUALITY,
    METADATA_BYTES,
    MODERN_BYTES,
    PIXELS_BYTES,
    PIXELS_SHARE,
    UPSCALED_SHARE,
    Finding,
)
from ivory_thistle.core.formats.table import FORMATS, UNKNOWN, extension_of
from ivory_thistle.core.images.kind import DRAWN
from ivory_thistle.core.images.vector import ballast_bytes
from ivory_thistle.core.references.site import Image
from ivory_thistle.core.treatment.roles import Role, Slot
from ivory_thistle.core.words import kb

_POOR_NAME = re.compile(
    r"(?:dsc[fn]?|img|dscn|pict?|p|photo|image|bild|foto|untitled|unnamed|screen[ _-]?shot|scan|copy|new|final|download"
    r"|file|asset)?[\s_()-]*+\d*+(?>[\s_()-]*+(?:copy|final|new|\d++))*+[\s_()-]*+|[0-9a-f]{16,}|[0-9a-f-]{32,}",
    re.IGNORECASE,
)
_SRGB = re.compile(r"srgb|c2\b|facebook tiny", re.IGNORECASE)


def needed_width(slots: Iterable[Slot], ratio: float) -> float:
    """The pixels across that the largest slot needs, at up to two pixels a CSS px.

    `ratio` is height over width of the file: a slot filled by cutting needs enough pixels on both sides.
    """
    return max((s.needed_width(ratio) for s in slots), default=0.0)


def image_findings(
    image: Image,
    slots: Sequence[Slot],
    role: Role,
    policy: Policy,
    has_modern: bool,
    svg: bytes | None = None,
    used: bool = True,
    doubt: str = "",
) -> Iterator[Finding]:
    """Everything wrong with one image file. `svg` is the content of a vector drawing.

    `used` is False for a file that no page names and none was seen to load; `doubt` tells why it may be in use still.
    """
    facts, path, kind = image.facts, image.path, image.look.kind if image.look else ""
    row = FORMATS[facts.format]

    def found(code: str, sentence: str, stake: float = 0, measured: bool = True, **evidence: object) -> Finding:
        return Finding(code, sentence, path, stake=round(stake), measured=measured, evidence=evidence)

    if facts.problem:
        yield found("unreadable", f"{path} {facts.problem}.")
    if facts.format != UNKNOWN and extension_of(path) not in row.extensions:
        yield found("wrong-extension", f"{path} holds {row.label}.")
    if not used:
        stake = facts.bytes * len(image.paths)
        yield found("unused-file", f"No page names {path}{doubt}.", stake, measured=not doubt)
    if len(image.paths) > 1:
        others = ", ".join(image.paths[1:4])
        stake = facts.bytes * (len(image.paths) - 1)
        yield found("exact-duplicate", f"{path} stands again at {others}.", stake, copies=len(image.paths))
    if is_poor_name(path):
        yield found("poor-name", f"{path.rsplit('/', 1)[-1]} does not say what is shown.")
    if facts.is_vector and svg is not None:
        stake = ballast_bytes(svg)
        if stake >= BALLAST_BYTES:
            yield found("svg-ballast", f"{stake:,} of {len(svg):,} bytes of {path} draw nothing.", stake)
    if facts.problem or not facts.is_raster:
        return
    if used:
        yield from _of_size(image, slots, role, policy, found)
    yield from _of_encoding(image, kind, used and not has_modern, found)
    yield from _of_ballast(image, found)


_Found = Callable[..., Finding]


def _of_size(image: Image, slots: Sequence[Slot], role: Role, policy: Policy, found: _Found) -> Iterator[Finding]:
    facts, path = image.facts, image.path
    needed = needed_width(slots, facts.height / facts.width)
    if needed and facts.width > PIXELS_SHARE * needed:
        stake = facts.bytes * (1 - (needed / facts.width) ** 2)
        if stake >= PIXELS_BYTES:
            measured = all(s.measured for s in slots)
            sentence = f"{path} is {facts.width:,} px wide; {needed:,.0f} would do for its largest slot."
            yield found("too-many-pixels", sentence, stake, False, needed=round(needed), slot_measured=measured)
    cap = policy.cap(role)
    if cap.is_exceeded(facts.bytes, facts.width):
        excess = max(0, facts.bytes - cap.bytes)
        weighs = f"{path} weighs {kb(facts.bytes)}; as {role} it may weigh {kb(cap.bytes)}."
        wide = f"{path} is {facts.width:,} px wide; as {role} it may be {cap.width:,}."
        evidence = {"cap": cap.bytes} if excess else {"cap_width": cap.width}
        yield found("over-cap", weighs if excess else wide, excess, role=role, **evidence)
    if slots and facts.frames == 1:
        blurred = max((s for s in slots if _is_plain(s)), key=lambda s: s.width, default=None)
        if blurred and blurred.width > UPSCALED_SHARE * facts.width and blurred.width > 32:
            sentence = (
                f"{path} has {facts.width:,} px and is shown {blurred.width:,.0f} CSS px wide on {blurred.screen.name}."
            )
            yield found("upscaled", sentence, 0, blurred.measured, slot=round(blurred.width))
        odd = next((s for s in slots if _is_distorted(s, facts.width, facts.height)), None)
        if odd:
            sentence = (
                f"{path} ({facts.width} × {facts.height}) is stretched to {odd.width:.0f} × {odd.height:.0f} on"
                f" {odd.screen.name}, in {odd.page}."
            )
            yield found("distorted", sentence, 0, odd.measured)


def _is_plain(slot: Slot) -> bool:
    return slot.kind in ("img", "input")


def _is_distorted(slot: Slot, width: int, height: int) -> bool:
    if not (_is_plain(slot) and slot.measured and slot.fit == "fill" and min(slot.width, slot.height) >= 16):
        return False
    return abs(slot.height / slot.width / (height / width) - 1) > DISTORTED_SHARE


_PHOTO_SAVES = 0.75
"""The share that another encoding saves at like looks: common practice, no source."""


def _of_encoding(image: Image, kind: str, plain: bool, found: _Found) -> Iterator[Finding]:
    facts, path = image.facts, image.path
    row = FORMATS[facts.format]
    name = row.label
    size = kb(facts.bytes)
    if row.modern_saves and not row.lossy and kind == "photograph" and facts.bytes >= MODERN_BYTES:
        yield found("photo-as-png", f"{path} is a photograph of {size} in {name}.", facts.bytes * _PHOTO_SAVES, False)
    elif plain and row.modern_saves and facts.frames == 1 and facts.bytes >= MODERN_BYTES:
        stake = facts.bytes * row.modern_saves
        yield found("old-format", f"{path} ({size}) is offered as {name} only.", stake, False)
    if facts.format == "jpeg" and kind in DRAWN:
        yield found("graphic-as-jpeg", f"{path} is {_article(kind)} in JPEG.", 0, False)
    if facts.format == "webp" and facts.lossless and kind == "photograph" and facts.bytes >= MODERN_BYTES:
        yield found("lossless-photo", f"{path} is a photograph of {size} without loss.", facts.bytes * 0.7, False)
    if facts.quality is not None and facts.quality >= JPEG_QUALITY and facts.bytes >= MODERN_BYTES:
        sentence = f"{path} was saved at JPEG quality {facts.quality}."
        yield found("quality-too-high", sentence, facts.bytes * 0.4, False, quality=facts.quality)
    if image.look and image.look.alpha_used is False:
        yield found("unused-alpha", f"Every pixel of {path} is opaque.", facts.bytes * 0.1, False)
    if facts.colour == "cmyk":
        yield found(
            "wrong-colour", f"{path} is in CMYK, which screens do not show as meant.", facts.bytes * 0.25, False
        )
    elif facts.bit_depth > 8 and facts.format in ("png", "tiff"):
        yield found("wrong-colour", f"{path} has {facts.bit_depth} bits a channel.", facts.bytes * 0.5, False)
    if facts.format == "gif" and facts.frames > 1:
        yield found("animated-gif", f"{path} has {facts.frames} frames, {size}.", facts.bytes * 0.6, False)


def _of_ballast(image: Image, found: _Found) -> Iterator[Finding]:
    facts, path = image.facts, image.path
    if facts.metadata_bytes >= METADATA_BYTES:
        sorts = ", ".join(f"{n} {kb(size)}" for n, size in sorted(facts.metadata.items()) if n not in ("icc", "gps"))
        yield found("metadata", f"{path} carries {sorts}.", facts.metadata_bytes, **facts.metadata)
    if facts.metadata.get("gps"):
        yield found("gps-position", f"{path} tells where it was taken.", facts.metadata["gps"])
    if facts.profile_bytes and _SRGB.search(facts.profile) and facts.colour != "cmyk":
        sentence = f"{path} holds the profile {facts.profile}, which is what browsers take anyway."
        yield found("unneeded-profile", sentence, facts.profile_bytes)


def _article(kind: str) -> str:
    return {"lettering": "lettering", "line art": "line art"}.get(kind, f"a {kind}")


def is_poor_name(path: str) -> bool:
    """True for names that a camera, a program or haste gave: DSC_0431.JPG, image-2.png, a hash, digits alone."""
    stem = path.rsplit("/", 1)[-1].rsplit(".", 1)[0]
    return _POOR_NAME.fullmatch(stem) is not None
