"""One image made into its renditions: bytes in, kept renditions and the reasons out."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from hashlib import sha256

from ivory_thistle.core.encoders import Encoded
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import DRAWN, look_at
from ivory_thistle.core.images.pixels import decode, reduce
from ivory_thistle.core.images.sniff import NAMES, ImageFormat
from ivory_thistle.core.treatment.fidelity import Levels, encode_at, encode_to_fidelity
from ivory_thistle.core.treatment.rules import MODERN_TIERS, TIERS, Rules, Tier

# Drawings in these have been blurred already: to keep that without loss would cost more than the file itself.
_SPOILT = frozenset({"jpeg", "heic", "avif"})
_GRAPHIC_AVIF = 75


@dataclass(frozen=True, slots=True)
class Rendition:
    """One encoded output of an image; `data` is the file, `settings` how it was encoded."""

    tier: Tier
    format: ImageFormat
    width: int
    height: int
    settings: str
    sha256: str
    data: bytes

    @property
    def bytes(self) -> int:
        """Size of the file."""
        return len(self.data)


@dataclass(frozen=True, slots=True)
class Treated:
    """What came out: the kept renditions, by tier and rising width, and what was decided, in words."""

    renditions: tuple[Rendition, ...]
    words: tuple[str, ...]


def treat_image(
    data: bytes, facts: ImageFacts, widths: Iterable[int], rules: Rules, kind: str | None = None
) -> Treated:
    """Makes AVIF, WebP and a fallback at each width, keeping what is smaller. Raises PictureError.

    `kind` is that of the image's look (None: it is looked at now); what was drawn and not yet spoilt stays lossless.

    A rendition is never larger than the file it replaces; a tier is kept only where its files together
    are worth having over the next tier's.
    """
    rungs = sorted(widths)
    top = decode(data, facts, rungs[-1]).without_unused_alpha()
    if kind is None:
        look = look_at(data, facts)
        kind = look.kind if look else ""
    graphic = kind in DRAWN and facts.format not in _SPOILT
    levels = [*(reduce(top, width) for width in rungs[:-1]), top]
    short: set[Tier] = set()
    if rules.fidelity:
        prepared = Levels(levels)
        found = {tier: encode_to_fidelity(tier, prepared, graphic, rules.fidelity) for tier in TIERS}
        made = {tier: files for tier, (files, _) in found.items()}
        missed = [sentence for _, sentences in found.values() for sentence in sentences]
        short = {tier for tier in MODERN_TIERS if found[tier][1]}
        what = "Flat graphic: lossless" if graphic else "Photograph"
        words = [f"{what}, kept at a score of {rules.fidelity}.", *missed]
    else:
        made = {tier: [encode_at(tier, e, _quality(tier, graphic, rules), graphic) for e in levels] for tier in TIERS}
        words = ["Flat graphic: lossless." if graphic else "Photograph."]
    return _keep(made, facts, rules, words, short)


def _quality(tier: Tier, graphic: bool, rules: Rules) -> int:
    """The fixed quality of a tier; graphics want more of AVIF."""
    fixed = {"avif": rules.avif_quality, "webp": rules.webp_quality, "baseline": rules.jpeg_quality}[tier]
    return max(fixed, _GRAPHIC_AVIF) if graphic and tier == "avif" else fixed


def _keep(
    made: dict[Tier, list[Encoded]], facts: ImageFacts, rules: Rules, words: list[str], short: set[Tier]
) -> Treated:
    """Keeps what is worth keeping; tiers in `short` fell short of the fidelity and are dropped."""
    fallback = made["baseline"]
    at_full = fallback[-1].width == facts.width
    fallback_kept = [e for e in fallback if e.bytes < facts.bytes]
    if at_full and not rules.replacement_is_worth_it(facts.bytes, fallback[-1].bytes):
        fallback_kept = [e for e in fallback_kept if e is not fallback[-1]]
        words.append(
            f"The original ({_kb(facts.bytes)}) stays as the fallback: {NAMES[fallback[-1].format]} would be"
            f" {_kb(fallback[-1].bytes)}."
        )
    standing = [min(e.bytes, facts.bytes) for e in fallback]
    kept: list[tuple[Tier, Encoded]] = [("baseline", e) for e in fallback_kept]
    for tier in ("webp", "avif"):
        files = made[tier]
        if tier in short:
            words.append(f"{NAMES[files[-1].format]} dropped: it can't keep this look.")
            continue
        total, rival = sum(e.bytes for e in files), sum(standing)
        if rules.tier_is_worth_it(rival, total) and files[-1].bytes < standing[-1]:
            kept += [(tier, e) for e in files]
            words.append(
                f"{NAMES[files[-1].format]} saves {100 * (1 - total / rival):.0f} % ({_kb(rival)} to {_kb(total)})."
            )
            standing = [e.bytes for e in files]
        else:
            words.append(f"{NAMES[files[-1].format]} dropped: {_kb(total)} against {_kb(rival)} is not worth a file.")
    order = {tier: n for n, tier in enumerate(TIERS)}
    kept.sort(key=lambda k: (order[k[0]], k[1].width))
    return Treated(tuple(_rendition(t, e) for t, e in kept), tuple(words))


def _rendition(tier: Tier, e: Encoded) -> Rendition:
    return Rendition(tier, e.format, e.width, e.height, e.settings, sha256(e.data).hexdigest(), e.data)


def _kb(size: int) -> str:
    return f"{size / 1000:,.1f} kB"
