"""The files of one rung: each setting found by search, or by the ways that a drawing asks for."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from math import inf

from ivory_thistle.core.formats.encoder import MOST_COLOURS, Encoded, Encoder, Settings
from ivory_thistle.core.formats.table import FORMATS, FormatName
from ivory_thistle.core.formats.tiers import BASELINE, TIERS, Look, Tier, ways_for
from ivory_thistle.core.images.chroma import ChromaLoss, chroma_loss
from ivory_thistle.core.images.pixels import Pixels, decode_plain
from ivory_thistle.core.quality import Prepared, prepare, score
from ivory_thistle.core.quality.squares import Squares, has_squares
from ivory_thistle.core.search import Coder, Found, Hint, best_under_cap, fewest_bytes, quick_bytes
from ivory_thistle.core.treatment.giving_up import (
    FAR_ABOVE,
    ceiling_of_narrower,
    ceiling_of_widest,
    least_of_photograph,
    may_be_thoroughly,
    no_gain_words,
)
from ivory_thistle.core.treatment.learning import gain_of
from ivory_thistle.core.treatment.wish import Made, Rung, Wish

FINE_COLOUR, STRONG_COLOUR = 0.02, 0.01
"""Shares of `ChromaLoss` from which halved chroma costs more than it saves."""
_EXACTING = 80
"""From this fidelity on, a look is exacting: some encoders then do with fewer bytes in finer settings."""
PALETTE_FIDELITY = 85
"""What a palette or a near-lossless file must keep where no fidelity is asked for."""
_EVERY_PIXEL = 100.0
"""The score of a file without loss, and of no other."""
_SPOILT = 4.0
"""By so many points less than is typical a thorough encode gains on a quick one: on some textures, slow AVIF takes far
more bytes for whole chroma."""
_FINER_IS_LOWER = 2.0
"""By so many settings a file of whole chroma lies below one of half chroma that looks the same (JPEG: 1 to 3)."""


class Maker:
    """Makes the files of one rung; its side of the score is prepared once for all formats.

    `chroma`: the tiers of which narrower rungs were found to need finer chroma (or to be smaller without).
    """

    def __init__(self, rung: Rung, wish: Wish, chroma: dict[Tier, bool]) -> None:
        self._pixels, self._wish, self._chroma = rung.pixels, wish, chroma
        self._fidelity = wish.fidelity(rung)
        self._colour: ChromaLoss = chroma_loss(rung.pixels)
        self._prepared: Prepared | None = None
        self._squares: Squares | None = None
        self._encoded: dict[tuple[FormatName, Settings], Encoded] = {}
        self._glanced: dict[tuple[FormatName, Settings], float] = {}
        self._files: dict[Tier, Made] = {}
        self._ceiling = inf

    def judge(self, encoded: Encoded) -> float:
        """The score of a file, decoded as a browser would."""
        if self._prepared is None:
            self._prepared = prepare(self._pixels.array)
        return score(self._prepared, decode_plain(encoded.data, encoded.format))

    def glance(self, file: Encoded) -> float:
        """About the same, by squares of a large picture, which are looked at once."""
        asked = file.format, file.how
        if asked not in self._glanced:
            self._glanced[asked] = self._glance(file)
        return self._glanced[asked]

    def _glance(self, file: Encoded) -> float:
        if not has_squares(self._pixels.array):
            return self.judge(file)
        self._squares = self._squares or Squares(self._pixels.array)
        return self._squares.score(decode_plain(file.data, file.format))

    def make(self, tier: Tier, hint: Hint, ceiling: float = inf) -> tuple[Made, Hint | None]:
        """The tier's file, and what its search learnt, which ends where files of `ceiling` bytes or more are left."""
        self._ceiling = ceiling
        made, learnt = self._make(tier, hint)
        file = self._files[tier] = replace(made, goal=self._fidelity)
        # Files of large pictures are large, and no other tier asks for these.
        self._encoded.clear()
        return file, learnt

    def ceiling(self, tier: Tier, is_widest: bool, is_only: bool) -> float:
        """The bytes from which on a modern tier's file shows its ladder to be no gain; infinite where none does.

        `is_only`: there is no other rung.
        """
        least, rules = self._least_of_older(tier), self._wish.rules
        if least is None or rules.cap or self._ways(tier):
            return inf
        if not is_widest:
            return ceiling_of_narrower(least.bytes, self._wish.drawn)
        return ceiling_of_widest(least.bytes, self._files[BASELINE].encoded.bytes, rules, is_only)

    def no_gain(self, tier: Tier) -> str:
        """Why a modern tier's other files are not worth making, by the one that was made."""
        file, least = self._files[tier], self._least_of_older(tier)
        assert least is not None
        how = f" at a score of {file.score:.0f}" if file.score is not None else ""
        return no_gain_words(file.encoded.format, least, file.encoded.bytes, how)

    def no_gain_by_probe(self, tier: Tier, hint: Hint, ceiling: float) -> str:
        """Why no thorough encode is worth a try, by quick ones; empty where it may be."""
        making, least = TIERS[tier].making, self._least_of_older(tier)
        if least is None or not making.probes or self._wish.rules.cap or self._ways(tier):
            return ""
        if self._quick_files_tell:
            quick = quick_bytes(self._coder(tier), self._fidelity, hint, making.tolerance)
            pixels = self._pixels.width * self._pixels.height
            if least_of_photograph(quick, pixels, making.quick_shares) < ceiling:
                return ""
            return no_gain_words(TIERS[tier].format, least, quick, " by quick encodes")
        low, high = making.limits
        fixed = self._wish.rules.fixed
        quality = self._quality_of_all(tier) if fixed else min(max(round(hint.start), low), high)
        probe = self._encode(making.encoder, self._quick(tier, quality))
        if may_be_thoroughly(probe.bytes, least.bytes):
            return ""
        if not fixed and self.judge(probe) > self._fidelity + FAR_ABOVE:
            return ""
        return no_gain_words(probe.format, least, probe.bytes, " by a quick encode")

    @property
    def _quick_files_tell(self) -> bool:
        """Whether it is known what thorough files save of quick ones: of large photographs whose look is not exacting.

        On small ones that differs more, and there is little time to save.
        """
        searched = not self._wish.drawn and not self._wish.rules.fixed
        return searched and self._fidelity < _EXACTING and has_squares(self._pixels.array)

    def _least_of_older(self, tier: Tier) -> Encoded | None:
        """The smallest file of the older tiers that keeps what is asked; None where there is none."""
        order = list(TIERS)
        older = (m for t, m in self._files.items() if order.index(t) > order.index(tier) and m.met)
        return min((m.encoded for m in older), key=lambda e: e.bytes, default=None)

    def _ways(self, tier: Tier) -> Sequence[tuple[FormatName, Settings]]:
        """The ways for a drawing, or for transparency that the tier's format can't keep; none: it is searched."""
        return ways_for(tier, self._wish.drawn, self._pixels.has_alpha, self._wish.fallback)

    def _make(self, tier: Tier, hint: Hint) -> tuple[Made, Hint | None]:
        rules, making = self._wish.rules, TIERS[tier].making
        if ways := self._ways(tier):
            return self._smallest(ways, self._palette_of_older(tier)), None
        if rules.fixed:
            return Made(self._encode(making.encoder, self._settings(tier, self._quality_of_all(tier)))), None
        found = self._search(tier, hint)
        # Far down the scale, half chroma is not what keeps a file from being small.
        may_refine = found.encoded.bytes < self._ceiling or found.setting > making.half_chroma_up_to
        if not found.met and may_refine and self._refine(tier):
            found = self._search(tier, Hint(hint.start, self._typical_gain(tier)))
        elif found.setting > making.half_chroma_up_to and not self.is_fine(tier) and not rules.cap:
            finer = self._finer_where_smaller(tier, found)
            # What a narrow rung gains by whole chroma says nothing of the wider ones.
            return Made(finer.encoded, finer.score, finer.met, finer.points), found.hint
        elif self._is_spoilt(tier, found):
            found = self._coarser_where_smaller(tier, found)
        return Made(found.encoded, found.score, found.met, found.points), found.hint

    def _is_spoilt(self, tier: Tier, found: Found[Encoded]) -> bool:
        """Whether finer chroma that nobody asked for may cost more than it saves."""
        return self._spoils(tier, found.hint.gain) and not self._wish.rules.cap

    def _spoils(self, tier: Tier, gain: float) -> bool:
        """Whether finer chroma that can be done without leaves a thorough encode so small a gain (points)."""
        lost = self._typical_gain(tier) - gain
        return lost > _SPOILT and self.is_fine(tier) and not self._must_be_fine

    def _finer_where_smaller(self, tier: Tier, coarse: Found[Encoded]) -> Found[Encoded]:
        """The file with whole chroma where that is smaller: its luma then needs no such quality."""
        fine = self._search_in(tier, {tier: True}, coarse, coarse.hint.start - _FINER_IS_LOWER)
        return fine if fine.met and fine.encoded.bytes < coarse.encoded.bytes else coarse

    def _coarser_where_smaller(self, tier: Tier, fine: Found[Encoded]) -> Found[Encoded]:
        """The file with half chroma where that is smaller, and wider rungs then have no finer either."""
        coarse = self._search_in(tier, {tier: False}, fine, fine.hint.start)
        if not coarse.met or coarse.encoded.bytes >= fine.encoded.bytes:
            return fine
        self._chroma[tier] = False
        return coarse

    def _search_in(self, tier: Tier, chroma: dict[Tier, bool], other: Found[Encoded], start: float) -> Found[Encoded]:
        """A search with other chroma for a smaller file than another, begun at a setting."""
        before, ceiling = self._chroma, self._ceiling
        self._chroma, self._ceiling = chroma, min(ceiling, other.encoded.bytes)
        # A thorough file that costs little more than a probe tells more than one.
        sure = not TIERS[tier].making.probes
        found = self._search(tier, Hint(start, self._typical_gain(tier), sure=sure))
        self._chroma, self._ceiling = before, ceiling
        return found

    def _typical_gain(self, tier: Tier) -> float:
        return gain_of(tier, self._fidelity, self.is_fine(tier), self._wish.drawn)

    def _search(self, tier: Tier, hint: Hint) -> Found[Encoded]:
        coder = self._coder(tier)
        if self._wish.rules.cap:
            return best_under_cap(coder, self._wish.rules.cap, hint)
        return fewest_bytes(coder, self._fidelity, hint, TIERS[tier].making.tolerance, ceiling=self._ceiling)

    def _coder(self, tier: Tier) -> Coder[Encoded]:
        making = TIERS[tier].making

        def thorough(quality: int) -> Encoded:
            return self._encode(making.encoder, self._settings(tier, quality))

        def quick(quality: int) -> Encoded:
            return self._encode(making.encoder, self._quick(tier, quality))

        return Coder(thorough, self.judge, making.limits, making.scale, quick, self.glance, making.twins)

    def _encode(self, encoder: Encoder, settings: Settings) -> Encoded:
        """A file of this rung, made once for a tier however often it is asked for."""
        asked = encoder.can.format, settings
        if asked not in self._encoded:
            self._encoded[asked] = encoder.encode(self._pixels, settings, self._wish.metadata)
        return self._encoded[asked]

    def _quick(self, tier: Tier, quality: int) -> Settings:
        return replace(self._settings(tier, quality), quick=True, sharp=False)

    def _settings(self, tier: Tier, quality: int) -> Settings:
        rules, making = self._wish.rules, TIERS[tier].making
        smooth = self._fidelity >= _EXACTING and not self._wish.drawn and not rules.fixed
        found = making.settings(quality, self.is_fine(tier), smooth)
        if rules.bits in making.encoder.can.depths and rules.bits in (8, 10):
            found = replace(found, depth=10 if rules.bits == 10 else 8)
        quick = rules.effort == "quick"
        return replace(found, quick=quick, sharp=found.sharp and not quick)

    def _quality_of_all(self, tier: Tier) -> int:
        """Where nothing is searched."""
        return max(self._wish.rules.quality_for(tier), TIERS[tier].making.fixed_drawn if self._wish.drawn else 0)

    def is_fine(self, tier: Tier) -> bool:
        """Whether a file gets finer chroma: by kind, by what halving it would lose, or by what was found short."""
        if self._must_be_fine:
            return True
        if tier in self._chroma:
            return self._chroma[tier]
        texture = self._colour.seen >= FINE_COLOUR
        look = Look(exacting=self._fidelity >= _EXACTING, texture=texture, fixed=self._wish.rules.fixed)
        return TIERS[tier].making.fine_from_start(look)

    @property
    def _must_be_fine(self) -> bool:
        asked = self._wish.rules.full_chroma or self._wish.drawn
        return asked or self._colour.strong >= STRONG_COLOUR

    def _refine(self, tier: Tier) -> bool:
        """Takes finer chroma from here on, also for wider rungs; False where it was fine already."""
        if self.is_fine(tier):
            return False
        self._chroma[tier] = True
        return True

    def _palette_of_older(self, tier: Tier) -> Made | None:
        """An older tier's file of few colours, which a format without palettes can take over pixel by pixel."""
        if TIERS[tier].making.encoder.can.palette or self._wish.rules.cap:
            return None
        return next((m for m in self._files.values() if m.encoded.how.palette and m.met), None)

    def _smallest(self, ways: Sequence[tuple[FormatName, Settings]], few_colours: Made | None) -> Made:
        """The smallest of a lossless file (the first way) and lossy ones by falling quality that keep the look.

        Where there are `few_colours`, it is a lossless file of them. Under a cap, the first that holds it.
        """
        if few_colours:
            return self._as_palette(ways[0][0], few_colours)
        rules = self._wish.rules
        asked = _EVERY_PIXEL if rules.lossless else self._asked_of_drawings()
        few = next(((n, how) for n, how in ways if how.palette), None) if rules.colours < MOST_COLOURS else None
        if few and not rules.lossless:
            # So many colours are asked for, however that looks.
            file = self._way(few[0], replace(few[1], colours=rules.colours))
            return Made(file, self.judge(file))
        best = Made(self._way(*ways[0]), _EVERY_PIXEL)
        if rules.cap:
            return self._first_within(rules.cap, best, ways[1:])
        # How many of the lossy ones keep the look: halved until one number is left. Without loss, the first alone may.
        least, most = 0, min(1, len(ways) - 1) if rules.lossless else len(ways) - 1
        while least < most:
            middle = (least + most + 1) // 2
            file = self._way(*ways[middle])
            reached = self.judge(file)
            if reached < asked:
                most = middle - 1
                continue
            least = middle
            if file.bytes < best.encoded.bytes:
                best = Made(file, reached)
        return best

    def _first_within(self, cap: int, best: Made, ways: Sequence[tuple[FormatName, Settings]]) -> Made:
        """`best` where it holds a cap, else the first of the ways that does, else the smallest."""
        for way in ways:
            if best.encoded.bytes <= cap:
                break
            file = self._way(*way)
            if file.bytes < best.encoded.bytes:
                best = Made(file, self.judge(file))
        return replace(best, met=best.encoded.bytes <= cap)

    def _asked_of_drawings(self) -> float:
        return PALETTE_FIDELITY if self._wish.rules.fixed else max(self._fidelity, PALETTE_FIDELITY)

    def _as_palette(self, name: FormatName, few_colours: Made) -> Made:
        """The same pixels as a file of few colours has, without loss."""
        array = decode_plain(few_colours.encoded.data, few_colours.encoded.format)
        file = self._way(name, Settings(), replace(self._pixels, array=array))
        return Made(replace(file, settings=f"{file.settings} of a palette"), few_colours.score)

    def _way(self, name: FormatName, settings: Settings, pixels: Pixels | None = None) -> Encoded:
        settings = replace(settings, quick=self._wish.rules.effort == "quick")
        encoder = FORMATS[name].encoder
        assert encoder is not None, f"{name} has no encoder"
        return encoder.encode(pixels or self._pixels, settings, self._wish.metadata)
