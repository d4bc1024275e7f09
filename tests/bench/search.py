"""`./thistle bench search FOLDER…`: what a search costs, and what it saves against one quality for all.

Over the photographs of the folders (JPEG), at 480, 1,200 and 2,000 px: CPU of the search (with the prepared side of the
score) over CPU of one encode with the final settings; total bytes at a fidelity of 75 against the fixed quality whose
worst score is the same.
"""

from __future__ import annotations

import sys
import time
from collections.abc import Sequence
from pathlib import Path

import cv2

from ivory_thistle.core.encoders import AVIF, JPEG, WEBP, Encoded, Settings
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.core.images.pixels import Pixels, decode, decode_plain
from ivory_thistle.core.quality import prepare, score
from ivory_thistle.core.selection.tier import TIERS, Tier
from ivory_thistle.core.treatment.making import Made, Rung, Wish, make_files
from ivory_thistle.core.treatment.rules import Rules

WIDTHS, FIDELITY = (480, 1200, 2000), 75
ENCODERS = {"avif": AVIF, "webp": WEBP, "baseline": JPEG}


def pictures(roots: list[str]) -> list[Pixels]:
    """Every photograph at every width."""
    found = []
    for path in sorted(p for root in roots for p in Path(root).rglob("*.jpg")):
        data = path.read_bytes()
        facts = read_facts(path.name, data)[0]
        if facts and not facts.problem:
            found += [decode(data, facts, w) for w in WIDTHS if w < facts.width]
    return found


def searched(pixels: Pixels, tiers: Sequence[Tier]) -> tuple[dict[Tier, Made], float]:
    """The files of one picture, and the CPU seconds that they took."""
    begun = time.process_time()
    made = make_files([Rung(pixels)], Wish(Rules(), False, lambda rung: FIDELITY), tiers)
    return {tier: files[0] for tier, files in made.items()}, time.process_time() - begun


def once(tier: Tier, pixels: Pixels, how: Settings) -> tuple[Encoded, float]:
    """One encode with the final settings, and its CPU seconds."""
    begun = time.process_time()
    encoded = ENCODERS[tier].encode(pixels, how)
    return encoded, time.process_time() - begun


def fixed(tier: Tier, all_pixels: list[Pixels], floor: float) -> tuple[int, int, float]:
    """The lowest quality for all whose worst score is at least `floor`: quality, total bytes, worst score."""
    low, high, best = 20, 96, (96, 0, 0.0)
    sides = [prepare(p.array) for p in all_pixels]
    while low <= high:
        quality = (low + high) // 2
        made = [ENCODERS[tier].encode(p, Settings(quality)) for p in all_pixels]
        worst = min(score(side, decode_plain(e.data, tier == "avif")) for side, e in zip(sides, made, strict=True))
        if worst >= floor:
            best, high = (quality, sum(e.bytes for e in made), worst), quality - 1
        else:
            low = quality + 1
    return best


if __name__ == "__main__":
    cv2.setNumThreads(1)
    photographs = pictures(sys.argv[1:])
    print(f"{len(photographs)} pictures of {', '.join(map(str, WIDTHS))} px, fidelity {FIDELITY}")
    everything = dict.fromkeys(TIERS, 0.0)
    together = 0.0
    found: dict[Tier, list[Made]] = {tier: [] for tier in TIERS}
    for pixels in photographs:
        files, seconds = searched(pixels, TIERS)
        together += seconds
        for tier, file in files.items():
            everything[tier] += once(tier, pixels, file.encoded.how)[1]
            found[tier].append(file)
    print(f"all formats together: {together / sum(everything.values()):.2f} times the CPU of one encode each")
    for tier in TIERS:
        alone = sum(searched(pixels, [tier])[1] for pixels in photographs)
        files_of = [f for f in found[tier]]
        total, worst = sum(f.encoded.bytes for f in files_of), min(f.score or 0 for f in files_of)
        mean = sum(f.score or 0 for f in files_of) / len(files_of)
        thorough = sum(sum(not p.probe for p in f.points) for f in files_of) / len(files_of)
        quick = sum(sum(p.probe for p in f.points) for f in files_of) / len(files_of)
        missed = sum(not f.met for f in files_of)
        quality, plain, floor = fixed(tier, photographs, worst)
        print(
            f"{tier:<9} alone {alone / everything[tier]:.2f} times; {thorough:.1f} thorough and {quick:.1f} quick encodes,"
            f" {missed} out of reach; {total / 1000:,.0f} kB, scores from {worst:.1f}, mean {mean:.1f}; one quality for"
            f" all ({quality}): {plain / 1000:,.0f} kB, from {floor:.1f}: {100 * (1 - total / plain):.0f} % less by search"
        )
