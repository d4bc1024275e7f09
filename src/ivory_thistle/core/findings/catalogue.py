"""All finding codes with their title, threshold and mend; docs/findings.md lists them, and a test holds that.

Shares that a new encoding would save are common practice, no source; they are marked as estimates wherever shown.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.selection.screen import USEFUL_DENSITY
from ivory_thistle.core.words import kb


@dataclass(frozen=True, slots=True)
class Sort:
    """One sort of finding. `ease` is how it is mended: 1 by treating images, 2 in markup, 3 by hand or by thought."""

    title: str
    threshold: str
    mend: str
    ease: int


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing wrong. `image` and `page` are paths; `source` and `line` say where it is written.

    `stake`: bytes that mending it would save (0: none, or not known); `measured` is false where that is an estimate.
    """

    code: str
    sentence: str
    image: str | None = None
    page: str | None = None
    screen: str = ""
    source: str = ""
    line: int | None = None
    stake: int = 0
    measured: bool = True
    evidence: Mapping[str, Any] = field(default_factory=dict)


def _either(labels: Sequence[str]) -> str:
    """Several labels as a choice: A, B or C."""
    return f"{', '.join(labels[:-1])} or {labels[-1]}"


PIXELS_SHARE, PIXELS_BYTES = 1.3, 4_000
MODERN_BYTES = 6_000
JPEG_QUALITY = 92
METADATA_BYTES = 2_000
SIZES_SHARE = 0.15
LABEL_SHARE = 0.02
STEP_SHARE = 2.5
LONE_WIDTH = 640
MOST_CANDIDATES = 10
UPSCALED_SHARE = 1.15
DISTORTED_SHARE = 0.03
EAGER_SCREENS = 2
DATA_BYTES = 10_000
SHIFT = 0.1
BALLAST_BYTES = 500
NEAR_BITS, NEAR_BITS_DRAWN = 3, 1

_OLD = _either([row.label for row in FORMATS.values() if row.modern_saves])
_WASTEFUL = _either([row.label for row in FORMATS.values() if row.modern_saves and not row.lossy])

CATALOGUE: Mapping[str, Sort] = {
    "too-many-pixels": Sort(
        "Far more pixels than any slot needs",
        f"wider than {PIXELS_SHARE:g} times the largest slot at up to {USEFUL_DENSITY:g} pixels a CSS px, and at least"
        f" {kb(PIXELS_BYTES)} at stake",
        "Make it smaller: the width named would do.", 1),
    "over-cap": Sort(
        "Images over their cap", "more bytes or pixels than the cap of its role allows",
        "Make it smaller or lighter, or raise the cap for its role.", 1),
    "old-format": Sort(
        "Old formats where a modern one saves", f"{_OLD} from {kb(MODERN_BYTES)}, without a modern source",
        "Offer AVIF and WebP with the old file as the fallback.", 1),
    "photo-as-png": Sort(
        "Photographs saved as PNG",
        f"a photograph in {_WASTEFUL} from {kb(MODERN_BYTES)}", "Save it as JPEG, WebP or AVIF.", 1),
    "graphic-as-jpeg": Sort(
        "Flat graphics saved as JPEG", "lettering, a graphic or line art in JPEG",
        "Go back to the source and save it as lossless WebP or a PNG with a palette.", 3),
    "lossless-photo": Sort(
        "Photographs saved without loss",
        f"a photograph in lossless WebP from {kb(MODERN_BYTES)}", "Save it with loss; nobody sees it.", 1),
    "quality-too-high": Sort(
        "Saved at a quality nobody sees", f"a JPEG of quality {JPEG_QUALITY} or more, from {kb(MODERN_BYTES)} on",
        "Save it again from the source at a fidelity of faithful.", 1),
    "unused-alpha": Sort(
        "Opaque images saved with alpha", "an alpha channel in which every pixel is opaque", "Drop the channel.", 1),
    "metadata": Sort(
        "Metadata that visitors load", f"{kb(METADATA_BYTES)} or more of EXIF, XMP, IPTC, comments or previews",
        "Strip it; keep the copyright if you want.", 1),
    "gps-position": Sort(
        "Images that tell where they were taken", "a GPS position in the EXIF data",
        "Strip it before anyone reads it.", 1),
    "unneeded-profile": Sort(
        "Colour profiles that say nothing", "an sRGB profile: what browsers take without one", "Drop the profile.", 1),
    "wrong-colour": Sort(
        "Colour that is not for screens", "CMYK, or more than 8 bits a channel", "Convert it to sRGB with 8 bits.", 1),
    "animated-gif": Sort(
        "Animations as GIF", "more than one frame", "Save it as animated WebP or AVIF, or as a video.", 1),
    "wrong-extension": Sort(
        "Names that tell another format", "the extension is not that of the bytes",
        "Rename the file and all that names it.", 3),
    "unreadable": Sort(
        "Images that can't be read", "cut off, broken, no picture, or more pixels than are taken",
        "Replace the file by a whole copy.", 3),
    "exact-duplicate": Sort(
        "The same image at several addresses", "equal contents at two paths or more",
        "Keep one and let all pages name it: browsers then load it once.", 3),
    "near-duplicate": Sort(
        "Images that are nearly the same",
        f"perceptual hashes of 64 bits that differ in {NEAR_BITS} at most, drawn images in {NEAR_BITS_DRAWN}",
        "Keep the best one if they show the same.", 3),
    "unused-file": Sort(
        "Images that no page uses",
        "no page and no link names it, and no measured page loads it; without a measurement a script might",
        "Remove it from the site.", 3),
    "broken-reference": Sort(
        "References to files that are not there", "an address of the site's own without a file",
        "Correct the address or put the file there.", 3),
    "remote-image": Sort(
        "Images from other hosts", "an address of another host", "Keep a copy on your own host, where you may.", 3),
    "page-over-budget": Sort(
        "Pages over their budget", "more image bytes at opening or scrolled through than the budget allows",
        "Treat its heaviest images first.", 1),
    "too-many-requests": Sort(
        "Pages with too many images", "more image requests than the budget allows",
        "Show fewer, or load those below the first screen lazily.", 3),
    "missing-dimensions": Sort(
        "Images without width and height", "an img without both attributes",
        "Give both: the page then does not jump while it loads.", 2),
    "layout-shift": Sort(
        "Pages that jump while they load", f"a layout shift above {SHIFT:g} that images had a part in",
        "Give the images named width and height.", 2),
    "lazy-lcp": Sort(
        "Largest picture loaded lazily", "the largest contentful paint is an image with loading=lazy",
        "Take loading=lazy off.", 2),
    "lcp-priority": Sort(
        "Largest picture without priority", "the largest contentful paint is an image without fetchpriority=high",
        "Give it fetchpriority=high, or a preload where CSS names it.", 2),
    "eager-below": Sort(
        "Images loaded long before they are seen",
        f"not lazy, and more than {EAGER_SCREENS} screens down on every screen",
        "Give it loading=lazy.", 2),
    "sizes-missing": Sort(
        "Width candidates without sizes", "a srcset with widths and no sizes", "Say how wide the slot is in sizes.", 2),
    "sizes-wrong": Sort(
        "sizes that are not those of the slot", f"off by more than {SIZES_SHARE * 100:.0f} % of the measured slot",
        "Give the measured widths.", 2),
    "srcset-too-few": Sort(
        "Too few candidates",
        f"one width over {LONE_WIDTH} px only, or two neighbours more than {STEP_SHARE:g} times apart",
        "Add widths in between.", 1),
    "srcset-too-many": Sort(
        "Too many candidates", f"more than {MOST_CANDIDATES} in one srcset", "Six well-chosen widths do.", 2),
    "srcset-mislabelled": Sort(
        "Candidates labelled wrongly", f"a width label more than {LABEL_SHARE * 100:.0f} % off the file's width",
        "Label each candidate with its file's width.", 2),
    "srcset-faulty": Sort(
        "srcset, sizes or media that browsers skip", "what the HTML standard does not understand or never takes",
        "Correct the markup named.", 2),
    "no-viewport": Sort(
        "Pages that phones lay out wide", "no viewport meta that makes the page as wide as the screen",
        "Add a viewport meta of width=device-width, if the page bears a narrow screen.", 3),
    "upscaled": Sort(
        "Images shown larger than they are",
        f"a slot more than {UPSCALED_SHARE:g} times as wide as the file, in CSS px",
        "Supply a larger original, or show it smaller.", 3),
    "distorted": Sort(
        "Images stretched out of shape", f"proportions more than {DISTORTED_SHARE * 100:.0f} % off the file's",
        "Set one side and let the other follow, or use object-fit.", 2),
    "missing-alt": Sort(
        "Images without alternative text", "an img without an alt attribute",
        "Say what is shown; for a decoration give an empty alt.", 2),
    "empty-alt-in-link": Sort(
        "Links that say nothing", "an img with an empty alt, alone in a link", "Say where the link leads.", 2),
    "poor-name": Sort(
        "File names that say nothing", "a camera's number, a hash, digits alone, or words like image or untitled",
        "Name it after what is shown, with hyphens.", 3),
    "svg-ballast": Sort(
        "Vector drawings with ballast",
        f"{BALLAST_BYTES} bytes or more of comments, metadata and editors' own attributes",
        "Save it without its editor's data.", 1),
    "large-data-uri": Sort(
        "Images written into the page", f"data: URIs of {kb(DATA_BYTES)} and more in one page",
        "Make files of them: they are then cached and loaded when needed.", 3),
}  # fmt: skip
