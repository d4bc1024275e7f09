"""`./thistle bench search FOLDER…`: what a search costs, and what it saves against one quality for all.

Over the photographs of the folders (JPEG), at 480 and 1,200 px: CPU of the search over CPU of one encode with the final
setting; total bytes at a fidelity of 70 against the fixed quality whose worst score is the same.
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

import cv2

from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.pixels import Pixels, decode
from ivory_thistle.core.treatment.fidelity import Levels, encode_at, encode_to_fidelity
from ivory_thistle.core.treatment.rules import TIERS, Tier

WIDTHS, FIDELITY = (480, 1200), 70


def pictures(roots: list[str]) -> list[Levels]:
    """Every photograph at every width, each a ladder of one rung."""
    found = []
    for path in sorted(p for root in roots for p in Path(root).rglob("*.jpg")):
        data = path.read_bytes()
        facts = read_facts(path.name, data)[0]
        if facts and not facts.problem:
            found += [Levels([decode(data, facts, w)]) for w in WIDTHS if w < facts.width]
    return found


def fixed(tier: Tier, ladders: list[Levels], floor: float) -> tuple[int, int, float]:
    """The lowest quality for all whose worst score is at least `floor`: quality, total bytes, worst score."""
    low, high, best = 20, 96, (96, 0, 0.0)
    while low <= high:
        quality = (low + high) // 2
        made = [encode_at(tier, ladder.levels[0], quality, False) for ladder in ladders]
        worst = min(ladder.judge(0, e) for ladder, e in zip(ladders, made, strict=True))
        if worst >= floor:
            best, high = (quality, sum(e.bytes for e in made), worst), quality - 1
        else:
            low = quality + 1
    return best


def final_again(tier: Tier, pixels: Pixels, settings: str) -> float:
    """CPU seconds of one encode with settings as they are told."""
    quality = int(settings.split("quality ")[1].split(",")[0])
    begun = time.process_time()
    encode_at(tier, pixels, quality, False, "4:4:4" in settings or "sharp" in settings)
    return time.process_time() - begun


if __name__ == "__main__":
    cv2.setNumThreads(1)
    ladders = pictures(sys.argv[1:])
    print(f"{len(ladders)} pictures of {' and '.join(map(str, WIDTHS))} px, fidelity {FIDELITY}")
    for tier in TIERS:
        searching = once = 0.0
        total, scores = 0, []
        for ladder in ladders:
            ladder.judge(0, encode_at(tier, ladder.levels[0], 50, False))  # the original's side, prepared for all tiers
            begun = time.process_time()
            (file,), missed = encode_to_fidelity(tier, ladder, False, FIDELITY)
            searching += time.process_time() - begun
            once += final_again(tier, ladder.levels[0], file.settings)
            total += file.bytes
            scores.append(float(file.settings.rsplit("score ", 1)[1]))
        quality, plain, worst = fixed(tier, ladders, min(scores))
        print(
            f"{tier:<9} search {searching / once:.1f} times the CPU of one encode; {total / 1000:,.0f} kB, worst score"
            f" {min(scores):.1f}; one quality for all ({quality}): {plain / 1000:,.0f} kB, worst {worst:.1f}:"
            f" {100 * (1 - total / plain):.0f} % less by search"
        )
