"""Backgrounds rewritten by position: `image-set()` with typed candidates, a plain fallback before it."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from ivory_thistle.core.formats.tiers import BASELINE, Tier, modern_tiers
from ivory_thistle.core.references.css import CssReading, CssReference, Declaration
from ivory_thistle.core.references.site import Placement
from ivory_thistle.core.references.source import Edit
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile, sibling_address

Outcomes = dict[tuple[str, int], dict[Tier, str]]
"""For a rewritten placement (source path, start), the file that each tier is given."""


@dataclass(frozen=True, slots=True)
class Piece:
    """Up to which width of the screen (CSS px) a background takes the file of which width (pixels).

    `plain`: on screens of one pixel a CSS px only.
    """

    upto: int
    width: int
    plain: bool = False

    @property
    def media(self) -> str:
        """The condition under which it is taken."""
        return f"(max-width: {self.upto}px){' and (max-resolution: 1dppx)' if self.plain else ''}"


Pieces = tuple[Piece, ...]
"""Each wins over those before it."""


@dataclass(slots=True)
class CssRewrite:
    """Edits, what each tier is given for a placement, and every new file that is named."""

    edits: list[Edit] = field(default_factory=list)
    outcomes: Outcomes = field(default_factory=dict)
    offered: set[str] = field(default_factory=set)


def rewrite_declarations(
    text: str,
    sheet: CssReading,
    placements: Iterable[Placement],
    deliveries: Mapping[str, Delivery],
    plain: Collection[str] = (),
    offset: int = 0,
    quote: str = '"',
    pieces: Mapping[str, Pieces] | None = None,
) -> CssRewrite:
    """Edits for every declaration that names a delivered original.

    `text` was read as `sheet`; placements and edits count from `offset` before it. `plain` are originals that get one
    address wherever they stand; `pieces` are by original too. `quote` is the quote that may be used within (a style
    attribute holds the other one).
    """
    writer = _Writer(text, sheet, deliveries, frozenset(plain), quote, pieces or {})
    by_start = {p.start - offset: p for p in placements if p.file in deliveries and p.use in ("background", "plain")}
    named: dict[int | None, list[tuple[CssReference, Placement]]] = defaultdict(list)
    for reference in sheet.references:
        if reference.start in by_start:
            named[reference.declaration].append((reference, by_start[reference.start]))
    done = CssRewrite()
    for number, references in named.items():
        if number is not None:
            edits = writer.declaration(sheet.declarations[number], references, done)
            edits += writer.by_width(sheet.declarations[number], references, done) if edits else []
            done.edits += [Edit(e.start + offset, e.end + offset, e.new) for e in edits]
    return done


def _options(delivery: Delivery) -> tuple[NewFile, ...]:
    """The files of an `image-set()`, the best tier first: all of one width, or browsers would pick by resolution.

    Without modern files, the fallback where it is narrower than the original: a set tells its resolution. None where no
    file of every tier's is of that width, so that the last option would be heavier than the others.
    """
    modern = [f for tier in modern_tiers() if (f := delivery.widest(tier))]
    narrower = delivery.widest(BASELINE)
    if not modern and narrower and narrower.width < delivery.width and not delivery.own_size:
        return (narrower,)
    width = modern[0].width if modern else 0
    last = [f for f in delivery.rungs(BASELINE) if f.width == width]
    if not modern or any(f.width != width for f in modern) or not (last or width == delivery.width):
        return ()
    return (*modern, *last)


def _at_width(delivery: Delivery, tier: Tier, width: int) -> NewFile | None:
    return next((f for f in delivery.rungs(tier) if f.width == width), None)


_KNOWS_SETS = '(background-image:image-set("x" type("image/avif") 1x))'
_BACKGROUND = re.compile(r"\bbackground(?:-image)?\s*+:", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class _Writer:
    text: str
    sheet: CssReading
    deliveries: Mapping[str, Delivery]
    plain: frozenset[str]
    quote: str
    pieces: Mapping[str, Pieces]

    def declaration(
        self, declaration: Declaration, references: list[tuple[CssReference, Placement]], done: CssRewrite
    ) -> list[Edit]:
        """One declaration with other pictures; a second one with `image-set()` behind it where one can be."""
        plain, modern, at = "", "", declaration.start
        edits: list[Edit] = []
        for reference, placement in references:
            delivery = self.deliveries[placement.file or ""]
            own, kept = delivery.own_size, self.text[reference.start : reference.end]
            one = self._url(placement.address, own) if own else kept
            chooses = placement.use == "background" and delivery.path not in self.plain
            options = _options(delivery) if chooses else ()
            between = self.text[at : reference.start]
            plain += between + one
            modern += between + (self._image_set(placement.address, delivery, options, one) if options else one)
            at = reference.end
            got: dict[Tier, str] = {BASELINE: own.path} if own else {}
            got |= {f.tier: f.path for f in options}
            if got:
                edits.append(Edit(reference.start, reference.end, one))
                done.outcomes[placement.source, placement.start] = got
                done.offered |= {*got.values(), *([own.path] if own else [])}
        rest = self.text[at : declaration.end]
        if plain == modern:
            return edits
        if declaration.has_variables:
            return self._guarded(declaration, references, f"{plain}{rest}", f"{modern}{rest}", done)
        return [Edit(declaration.start, declaration.end, f"{(plain + rest).rstrip()};{modern}{rest}")]

    def _guarded(
        self,
        declaration: Declaration,
        references: Sequence[tuple[CssReference, Placement]],
        plain: str,
        modern: str,
        done: CssRewrite,
    ) -> list[Edit]:
        """A declaration with `var()`: as plain as it was, and once more behind its rule for browsers that can choose.

        An `image-set()` that a browser does not know would take all of the declaration with it, once it is computed.
        """
        rule = self.sheet.rules[references[0][0].block]
        selectors = self.text[slice(*rule.selectors)].rstrip()
        said = f"{selectors}{{{modern.strip()}}}"
        reference, placement = references[0]
        delivery = self.deliveries[placement.file or ""]
        before = self.text[declaration.start : reference.start]
        after = self.text[reference.end : declaration.end].rstrip()
        for piece in self.pieces.get(delivery.path, ()) if len(references) == 1 else ():
            options = self._narrower(delivery, piece.width)
            if not options:
                break
            chosen = self._image_set(placement.address, delivery, options, "")
            said += f"@media {piece.media}{{{selectors}{{{before}{chosen}{after}}}}}"
            done.offered |= {f.path for f in options}
        behind = f"@supports {_KNOWS_SETS}{{{said}}}"
        return [Edit(declaration.start, declaration.end, plain), Edit(rule.end, rule.end, behind)]

    def _narrower(self, delivery: Delivery, width: int) -> tuple[NewFile, ...]:
        """The files of one width for the tiers that the widest one has; empty where one of them is missing."""
        modern = [f for tier in modern_tiers() if (f := _at_width(delivery, tier, width))]
        last = _at_width(delivery, BASELINE, width)
        whole = last and len(modern) == len({f.tier for f in _options(delivery)} - {BASELINE})
        return (*modern, last) if whole and last else ()

    def by_width(
        self, declaration: Declaration, references: list[tuple[CssReference, Placement]], done: CssRewrite
    ) -> list[Edit]:
        """Rules behind a rule with one background alone, for narrower screens: the same selectors, another file."""
        reference, placement = references[0]
        rule, path = self.sheet.rules.get(reference.block), placement.file or ""
        around = self.text[declaration.value_start : reference.start] + self.text[reference.end : declaration.end]
        unsure = len(references) > 1 or "," in around or declaration.has_variables or path in self.plain
        if rule is None or unsure or _BACKGROUND.search(self.text, declaration.end, rule.end):
            return []
        said = []
        ending = " !important" if "!important" in around.replace(" ", "").lower() else ""
        for piece in self.pieces.get(path, ()):
            delivery = self.deliveries[path]
            options = self._narrower(delivery, piece.width)
            if not options:
                return []
            one = self._url(placement.address, options[-1])
            chosen = self._image_set(placement.address, delivery, options, one)
            selectors = self.text[slice(*rule.selectors)].rstrip()
            said.append(
                f"@media {piece.media}{{{selectors}{{background-image:{one}{ending};"
                f"background-image:{chosen}{ending}}}}}"
            )
            done.offered |= {f.path for f in options}
        return [Edit(rule.end, rule.end, "".join(said))] if said else []

    def _image_set(self, address: str, delivery: Delivery, options: Sequence[NewFile], one: str) -> str:
        """Typed candidates, the best first, each with the resolution that keeps the painted size."""
        said = []
        for f in options:
            typed = f" type({self.quote}{f.mime}{self.quote})" if f.tier != BASELINE else ""
            said.append(f"{self._url(address, f)}{typed} {f.width / delivery.width:.6g}x")
        if options[-1].tier != BASELINE:
            said.append(f"{one} 1x")
        return f"image-set({', '.join(said)})"

    def _url(self, address: str, new: NewFile) -> str:
        """`url()` of a new file, quoted; quotes in the address are percent-encoded."""
        safe = sibling_address(address, new.path).replace("\\", "%5C").replace('"', "%22").replace("'", "%27")
        return f"url({self.quote}{safe}{self.quote})"
