"""Rules: a site's standing choices for its images."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, Literal

from ivory_thistle.core.formats.encoder import MOST_COLOURS
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import TIERS, Tier, modern_tiers
from ivory_thistle.core.images.kind import DRAWN
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.images.resize import Resize, as_resize
from ivory_thistle.core.references.site import Image
from ivory_thistle.core.selection.screen import USEFUL_DENSITY
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.names import NAMES_PATTERN
from ivory_thistle.core.treatment.narrowing import FIDELITIES, Rule, RuleIndex, decided, fields_of, reasons
from ivory_thistle.core.treatment.roles import ROLES, Role

Effort = Literal["thorough", "quick"]
FallbackFormat = Literal["suited", "original", "jpeg", "png"]
"""`suited`: PNG for drawings and transparency, else JPEG; `original`: the original's own, where that is one of them."""
BY_ROLE: Mapping[Role, int] = {
    "hero": 75, "background": 65, "content": 75, "thumbnail": 65, "logo": 85, "icon": 85, "decoration": 65,
    "social card": 75,
}  # fmt: skip
"""What each role must keep, unless the rules say otherwise."""
FALLBACKS: tuple[FormatName, ...] = ("jpeg", "png")
"""Formats of still pictures that every browser shows and that are made here."""


@dataclass(frozen=True, slots=True)
class Decided:
    """What holds for one image, which rules said so, in words, and whether it is to be left as it is."""

    rules: Rules
    words: tuple[str, ...] = ()
    leave: bool = False


@dataclass(frozen=True, slots=True)
class Rules:
    """Fidelities as scores, encoder qualities, widths in pixels, sizes in bytes, shares between 0 and 1.

    `fidelity` is the score that a role's lossy files must keep, found by search; what is drawn (lettering, graphics,
    line art) keeps at least `lettering`. Rungs that only dense screens load may score `dense_less` points less (never
    under lean): a picture that is shown smaller hides its compression. `cap` (0: none) asks for the best look within so
    many bytes a file instead. `fixed` takes `qualities` (by tier, on its encoder's scale; the tier's own where none is
    given) and searches nothing. `formats` are the modern tiers that files are made for.

    A tier's files must on average save `tier_share` and `tier_bytes` over those of the next tier, a replacement
    `worth_share` or `worth_bytes`. `fallback_format` is that of fallbacks, where it can hold them. `metadata` is
    what is kept of EXIF and XMP; `keep_p3` leaves Display P3 pictures in their wide gamut; `sharpen` tries a slight
    sharpening after strong reduction. `svg` makes vector drawings smaller, `svg_scripts` also takes their scripts
    out; `animations` converts animations. `lossless` keeps every pixel of fallbacks and of formats that have a way
    for drawings; `full_chroma` halves no file's colours. With the `effort` "quick", encoders take a fraction of the
    time and more bytes; `bits` (8 or 10; 0: as the look asks) are AVIF's, `colours` a palette's at most.
    `background_widths` gives CSS backgrounds a narrower file on narrow screens. `density` is how many pixels a CSS
    pixel boxes get at most. `names` is how new files are called where pages name them, `form` how what is made
    leaves; `demand_check`: nothing is handed over before a check in a browser has passed. `narrower` ask for
    something else for some images (`for_image`).

    For pictures that no page shows: `size` reshapes each, cut around `focus` (shares of width and height) where it is
    cut; `picture_widths` are made of each (none: one, as wide as it may be); without `fallback`, modern formats alone.

    Defaults are common practice without a source: WebP 80, JPEG 80, AVIF between 50 and 90 (56 has about the
    structural similarity of JPEG 80 on the photographs measured, docs/decisions/0004); a hero 1,920 px wide;
    phones, columns and content at about 480, 960 and 1,440; small files are best left alone.
    """

    fidelity: Mapping[Role, int] = field(default_factory=lambda: dict(BY_ROLE))
    lettering: int = 85
    dense_less: int = 10
    cap: int = 0
    fixed: bool = False
    qualities: Mapping[Tier, int] = field(default_factory=dict)
    formats: tuple[Tier, ...] = field(default_factory=modern_tiers)
    max_width: int = 1920
    widths: tuple[int, ...] = (480, 960, 1440, 1920)
    most_rungs: int = 6
    leave_below_bytes: int = 6_000
    tier_share: float = 0.10
    tier_bytes: int = 2_000
    worth_share: float = 0.05
    worth_bytes: int = 1_000
    fallback_format: FallbackFormat = "suited"
    metadata: MetadataPolicy = "none"
    keep_p3: bool = False
    sharpen: bool = False
    svg: bool = True
    svg_scripts: bool = False
    animations: bool = True
    lossless: bool = False
    full_chroma: bool = False
    effort: Effort = "thorough"
    bits: int = 0
    colours: int = MOST_COLOURS
    background_widths: bool = False
    density: float = USEFUL_DENSITY
    size: Resize | None = None
    focus: tuple[float, float] | None = None
    picture_widths: tuple[int, ...] = ()
    fallback: bool = True
    names: str = NAMES_PATTERN
    form: HandoverForm = HandoverForm.MARKUP
    demand_check: bool = False
    narrower: tuple[Rule, ...] = ()

    def for_image(self, image: Image, role: Role) -> Decided:
        """What holds for one image, and by which of the narrower rules."""
        return Deciding(self).for_image(image, role)

    def fidelity_for(self, role: Role, kind: str, dense: bool = False) -> int:
        """The score that a file of an image must keep; `dense`: only dense screens load it."""
        wanted = self.fidelity.get(role, BY_ROLE[role])
        # Spread over a flat ground, damage to a small drawing hardly lowers its score.
        if kind in DRAWN:
            wanted = max(wanted, self.lettering)
        return max(wanted - self.dense_less, min(wanted, FIDELITIES["lean"])) if dense else wanted

    def fallback_for(self, original: FormatName) -> FormatName | None:
        """The format that is asked for fallbacks of an original; None: as suits the picture, also without loss."""
        asked = original if self.fallback_format == "original" else self.fallback_format
        return asked if asked in FALLBACKS and not self.lossless else None

    def quality_for(self, tier: Tier) -> int:
        """The quality of a tier's files where qualities are fixed."""
        return self.qualities.get(tier, TIERS[tier].making.fixed)

    def replacement_is_worth_it(self, before: int, after: int) -> bool:
        """True when `after` saves at least the share or the bytes that a replacement must save."""
        saved = before - after
        return saved > 0 and (saved >= before * self.worth_share or saved >= self.worth_bytes)

    def tier_is_worth_it(self, next_tier: int, tier: int, files: int = 1) -> bool:
        """True when a tier's files save at least share and bytes over those of the next, older tier."""
        saved = next_tier - tier
        return saved >= next_tier * self.tier_share and saved >= self.tier_bytes * files

    @property
    def shape(self) -> Resize | None:
        """The new size of a picture that no page shows, cut around its own focus where it has one."""
        return replace(self.size, focus=self.focus or self.size.focus) if self.size else None

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for a manifest or a database."""
        return asdict(self)

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Rules:
        """Rules from plain values; names that rules do not know are ignored.

        One number for `fidelity` holds for all roles; 0 was how fixed qualities were once written. A tier's quality
        once had a name of its own, like `webp_quality`.
        """
        known = {k: v for k, v in values.items() if k in cls.__dataclass_fields__}
        named = {t: values[old] for t, row in TIERS.items() if (old := f"{row.format}_quality") in values}
        if named:
            known["qualities"] = named | dict(known.get("qualities", {}))
        for name in ("widths", "formats", "picture_widths", "focus"):
            if known.get(name) is not None:
                known[name] = tuple(known[name])
        if known.get("size"):
            known["size"] = as_resize(known["size"])
        if "form" in known:
            known["form"] = HandoverForm(known["form"])
        known["narrower"] = tuple(Rule(**rule) for rule in known.get("narrower", ()))
        one = known.get("fidelity")
        if isinstance(one, int):
            known |= {"fidelity": dict.fromkeys(ROLES, one or 75), "fixed": one == 0}
        return cls(**known)


class Deciding:
    """Rules asked for one image after another; images for which the same ones hold share what is decided."""

    def __init__(self, rules: Rules) -> None:
        self._index = RuleIndex(rules.narrower)
        self._plain = replace(rules, narrower=())
        self._known: dict[tuple[int, ...], Decided] = {}

    def for_image(self, image: Image, role: Role) -> Decided:
        """What holds for one image, and by which of the narrower rules."""
        facts, kind = image.facts, image.look.kind if image.look else ""
        fitting = self._index.fitting(image.paths, image.pages, role, kind, facts.format, facts.sha256)
        which = tuple(map(id, fitting))
        known = self._known.get(which)
        if known is None:
            known = self._known[which] = self._decided(fitting)
        return known

    def _decided(self, fitting: Sequence[Rule]) -> Decided:
        if not fitting:
            return Decided(self._plain)
        settings, by = decided(fitting)
        return Decided(replace(self._plain, **fields_of(settings)), reasons(by), bool(settings.get("leave")))
