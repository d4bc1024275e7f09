"""What was seen of a page before and after a change, and what of it is not as it was."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import reduce
from operator import or_
from urllib.parse import urlsplit

from ivory_thistle.core.references.addresses import origin_form

TOLERANCE = 1.0
"""CSS px by which a box may move or grow."""


@dataclass(frozen=True, slots=True)
class Box:
    """One element's border box in CSS px from the page's top left.

    Of an `img`, `shown` is the address of the file it shows; `broken`: that can't be shown. `drawn` is the width and
    height of a picture that is drawn by its own size, whatever its box (`object-fit: none`).
    """

    element: str
    x: float
    y: float
    width: float
    height: float
    broken: bool = False
    shown: str = ""
    drawn: Sequence[float] | None = None

    def is_like(self, other: Box) -> bool:
        """Whether both are the same within the tolerance."""
        return self.element == other.element and _near((self.x, self.y), (other.x, other.y)) and self.is_sized(other)

    def is_sized(self, other: Box) -> bool:
        """Whether both are of the same size, and so is what is drawn in them."""
        same_drawn = not self.drawn or not other.drawn or _near(self.drawn, other.drawn)
        return same_drawn and _near((self.width, self.height), (other.width, other.height))


def _near(some: Sequence[float], others: Sequence[float]) -> bool:
    return all(abs(a - b) <= TOLERANCE for a, b in zip(some, others, strict=True))


@dataclass(slots=True)
class Seen:
    """One page on one screen: boxes in tree order, images that came (address and bytes), and console messages.

    `at_opening` are the images that came before any scrolling.
    `swept` are the boxes at other widths of the screen, in CSS px. `picture` is the whole page as a JPEG, one pixel a
    CSS px, where one was taken. `asked` are the site's addresses that the page asked for, whatever is there; `frames`
    those of images with the frames they came for, 0 for the page's own. `unanswered` are images that it asked for, with
    what it accepts, and that have not come yet. `left`: it went on to another page, or began anew.
    """

    boxes: list[Box] = field(default_factory=list)
    swept: dict[int, list[Box]] = field(default_factory=dict)
    images: dict[str, int] = field(default_factory=dict)
    at_opening: dict[str, int] = field(default_factory=dict)
    messages: Counter[str] = field(default_factory=Counter)
    problem: str = ""
    picture: bytes | None = None
    asked: set[str] = field(default_factory=set)
    frames: dict[str, set[int]] = field(default_factory=dict)
    unanswered: dict[str, str] = field(default_factory=dict)
    left: bool = False

    @property
    def framed(self) -> set[str]:
        """The addresses of the images that came for a page in a frame."""
        return {address for address, frames in self.frames.items() if frames - {0}}

    @property
    def weight(self) -> int:
        """Bytes of all images that came."""
        return sum(self.images.values())

    @property
    def unshown(self) -> set[str]:
        """The addresses of the images that came and stand in no `img`."""
        return self.images.keys() - {origin_form(urlsplit(box.shown)) for box in self.boxes if box.shown}

    @property
    def loads(self) -> int:
        """How many images came, each once for every frame: two pages may show one picture at two sizes."""
        return sum(max(1, len(self.frames.get(address, ()))) for address in self.images)


@dataclass(frozen=True, slots=True)
class Difference:
    """What changed on one page and screen, in words. `images` counts the `img`s of the page in tree order, from 0.

    `moved` tells how many boxes are elsewhere or of another size; `images` are those whose own size changed.
    `comparable` is False for a page that can't be loaded or that changes by itself. `unshown` are the addresses of
    images that came and that no `img` shows, unless that was so before.
    """

    page: str
    screen: str
    words: str
    moved: int = 0
    images: tuple[int, ...] = ()
    comparable: bool = True
    unshown: tuple[str, ...] = ()


def restless(page: str, screen: str, old: Seen, again: Sequence[Seen]) -> list[Difference]:
    """What can't be held against a page after a change, by more looks at it before: all of it, or images' sizes.

    What merely moves by itself can be left out.
    """

    def told(words: str, images: tuple[int, ...] = ()) -> Difference:
        return Difference(page, screen, words, images=images, comparable=False)

    resized: set[int] = set()
    for _, was, twice in (pair for other in again for pair in _pairs(old, other)):
        if len(was) != len(twice):
            return [told("It is never twice the same.")]
        images = [(a, b) for a, b in zip(was, twice, strict=True) if a.element == "img"]
        resized |= {n for n, (a, b) in enumerate(images) if not a.is_sized(b)}
    return [told("Some of its images are never twice of the same size.", tuple(sorted(resized)))] if resized else []


def _pairs(old: Seen, new: Seen) -> Iterator[tuple[int, list[Box], list[Box]]]:
    """The boxes at every width of the screen that was looked at both times; 0 stands for its own."""
    yield 0, old.boxes, new.boxes
    yield from ((width, boxes, new.swept[width]) for width, boxes in old.swept.items() if width in new.swept)


def differences(page: str, screen: str, old: Seen, new: Seen, again: Sequence[Seen] = ()) -> list[Difference]:
    """Everything about a page on a screen that is not as it was.

    `again` are more looks at it before the change: what of it moves by itself is left out.
    """

    def told(words: str, moved: int = 0, images: tuple[int, ...] = ()) -> Difference:
        return Difference(page, screen, words, moved, images)

    if old.problem or new.problem:
        return [Difference(page, screen, old.problem or new.problem, comparable=False)]
    found, motion = [], _motion(old, again)
    for width, was, now in _pairs(old, new):
        if change := _moved(f" at {width:,} px" if width else "", was, now, motion):
            found.append(told(*change))
    images = [(a, b) for a, b in zip(old.boxes, new.boxes, strict=False) if a.element == b.element == "img"]
    broken = tuple(n for n, (x, y) in enumerate(images) if y.broken and not x.broken)
    if broken:
        found.append(told(f"{len(broken)} images are broken.", 0, broken))
    loads = max(one.loads for one in (old, *again))
    if new.loads > loads:
        words = f"{new.loads} images are loaded instead of {loads}."
        before = set[str]().union(*(one.unshown for one in (old, *again)))
        found.append(Difference(page, screen, words, unshown=tuple(sorted(new.unshown - before))))
    weight = max(one.weight for one in (old, *again))
    if new.weight > weight:
        found.append(told(f"{new.weight:,} bytes of images are loaded instead of {weight:,}."))
    extra = new.messages - reduce(or_, (one.messages for one in (old, *again)))
    if extra:
        found.append(told(f"The console says: {next(iter(extra))[:300]}"))
    return found


@dataclass(frozen=True, slots=True)
class _Motion:
    """Which boxes, by their place in tree order, move or change their size by themselves, at any width."""

    moving: frozenset[int]
    resized: frozenset[int]

    def explains(self, n: int, old: Box, new: Box) -> bool:
        """Whether a box may be where, or as large as, it is now without any change of the page."""
        return n in self.moving and (old.is_sized(new) or n in self.resized)


def _motion(old: Seen, again: Sequence[Seen]) -> _Motion:
    looks = [(was, twice) for other in again for _, was, twice in _pairs(old, other)]
    pairs = [(n, a, b) for was, twice in looks for n, (a, b) in enumerate(zip(was, twice, strict=False))]
    return _Motion(
        moving=frozenset(n for n, a, b in pairs if not a.is_like(b)),
        resized=frozenset(n for n, a, b in pairs if not a.is_sized(b)),
    )


def _moved(
    where: str, was: Sequence[Box], now: Sequence[Box], motion: _Motion
) -> tuple[str, int, tuple[int, ...]] | None:
    """How many boxes are not as they were, in words, and which images' own size changed; None where all are.

    Of what moves by itself, the size still counts, unless it changes by itself as well.
    """
    if len(was) != len(now):
        return f"There are {len(now)} boxes instead of {len(was)}{where}.", len(now), ()
    pairs = list(zip(was, now, strict=True))
    stays = [a.is_like(b) or motion.explains(n, a, b) for n, (a, b) in enumerate(pairs)]
    moved = [pair for pair, same in zip(pairs, stays, strict=True) if not same]
    if not moved:
        return None
    images = [(a, b, same) for (a, b), same in zip(pairs, stays, strict=True) if a.element == "img"]
    own = tuple(n for n, (a, b, same) in enumerate(images) if not (same or a.is_sized(b)))
    a, b = moved[0]
    before, after = (_words(box) for box in (a, b))
    words = f"{len(moved)} boxes changed{where}; the first is {a.element}: {before} became {after}."
    return words, len(moved), own


def _words(box: Box) -> str:
    drawn = f", drawn as {box.drawn[0]:g} x {box.drawn[1]:g}" if box.drawn else ""
    return f"{box.width:g} x {box.height:g} at {box.x:g}, {box.y:g}{drawn}"
