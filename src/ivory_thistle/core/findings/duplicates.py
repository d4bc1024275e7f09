"""Images that look like another one of their site."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from math import log

import numpy as np
from numpy.typing import NDArray

from ivory_thistle.core.findings.catalogue import NEAR_BITS, NEAR_BITS_DRAWN, Finding
from ivory_thistle.core.references.site import Image

_SMALLEST = 64
"""Pixels across, at least: of smaller pictures a hash tells too little."""
_EMPTY_GROUND = 0.9
"""Where one colour covers more than that, hashes are of noise."""
_SHAPE = 1.1
"""How many times as high as wide one may be of what the other is."""


def near_duplicates(images: Iterable[Image]) -> list[list[Image]]:
    """Groups of distinct images whose perceptual hashes differ in few bits, the largest file first.

    Hashes are compared only where they agree in one of four parts: of at most three differing bits, one part has none.
    """
    hashed = [image for image in images if _tells_much(image)]
    group = np.arange(len(hashed))
    near_of = _Nearness(hashed)
    buckets: dict[tuple[int, int], list[int]] = defaultdict(list)
    for number, image in enumerate(hashed):
        assert image.look is not None
        value = int(image.look.hash, 16)
        for part in range(NEAR_BITS + 1):
            buckets[part, value >> (part * 16) & 0xFFFF].append(number)
    for bucket in map(np.array, buckets.values()):
        for n in range(1, len(bucket)):
            near = near_of(bucket[n], bucket[:n])
            while (others := group[near][group[near] != group[bucket[n]]]).size:
                group[group == others[0]] = group[bucket[n]]
    alike: dict[int, list[Image]] = defaultdict(list)
    for image, one in zip(hashed, group.tolist(), strict=True):
        alike[one].append(image)
    found = [sorted(g, key=lambda i: (-i.facts.width * i.facts.height, i.path)) for g in alike.values() if len(g) > 1]
    return sorted(found, key=lambda g: g[0].path)


def _tells_much(image: Image) -> bool:
    """Whether its hash may be held against others'."""
    look, facts = image.look, image.facts
    if look is None or not look.hash or facts.frames > 1 or min(facts.width, facts.height) <= _SMALLEST:
        return False
    return not look.features or look.features["ground"] <= _EMPTY_GROUND


class _Nearness:
    """Which of many images are near one of them."""

    def __init__(self, images: Sequence[Image]) -> None:
        looks = [image.look for image in images if image.look]
        self._hashes = np.array([int(look.hash, 16) for look in looks], np.uint64)
        self._photographs = np.array([look.kind == "photograph" for look in looks], np.bool_)
        self._shapes = np.log([image.facts.height / image.facts.width for image in images])

    def __call__(self, one: int, others: NDArray[np.intp]) -> NDArray[np.intp]:
        """Those of the others, by their numbers."""
        bits = np.bitwise_count(self._hashes[others] ^ self._hashes[one])
        photographs = self._photographs[others] & self._photographs[one]
        alike = bits <= np.where(photographs, NEAR_BITS, NEAR_BITS_DRAWN)
        near: NDArray[np.intp] = others[alike & (np.abs(self._shapes[others] - self._shapes[one]) < log(_SHAPE))]
        return near


def duplicate_findings(images: Iterable[Image], ladders: Mapping[str, set[str]]) -> Iterator[Finding]:
    """Near duplicates; `ladders` says for each path which elements name it: those of one are meant to be alike."""
    for group in near_duplicates(images):
        first = group[0]
        for other in group[1:]:
            if not _elements(first, ladders) & _elements(other, ladders):
                sentence = f"{other.path} looks like {first.path}."
                yield Finding(
                    "near-duplicate", sentence, other.path, stake=other.facts.bytes, evidence={"like": first.path}
                )


def _elements(image: Image, ladders: Mapping[str, set[str]]) -> set[str]:
    return {element for path in image.paths for element in ladders.get(path, ())}
