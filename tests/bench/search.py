"""`./thistle bench search [FOLDER…]`: what a search costs, and how near to its goal it ends.

Over photographs as ladders of 480 to 2,000 px (Debian's mate-backgrounds, or the JPEG files of the folders), at a
fidelity of 75: CPU of the search, with preparing and judging, over CPU of one encode with the final settings.
"""

from __future__ import annotations

import sys
import time
from collections import defaultdict

import cv2
from tests.bench.ladders import encoded_once, ladder, photographs

from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.treatment.making import make_files
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.wish import Made, Wish

FIDELITY = 75

if __name__ == "__main__":
    cv2.setNumThreads(1)
    wish = Wish(Rules(), False, lambda rung: FIDELITY)
    found: dict[Tier, list[Made]] = defaultdict(list)
    once: dict[Tier, float] = defaultdict(float)
    alone: dict[Tier, float] = defaultdict(float)
    together = 0.0
    for data, facts in photographs(sys.argv[1:]):
        rungs = ladder(data, facts)
        begun = time.process_time()
        made = make_files(rungs, wish, TIERS)
        together += time.process_time() - begun
        for tier, files in made.items():
            for rung, file in zip(rungs, (m.encoded for m in files), strict=True):
                once[tier] += encoded_once(rung, file.format, file.how)
            found[tier] += files
            begun = time.process_time()
            make_files(rungs, wish, [tier])
            alone[tier] += time.process_time() - begun
    print(f"all formats together: {together / sum(once.values()):.2f} times the CPU of one encode each")
    for tier, files in found.items():
        thorough, quick = (sum(p.probe is q for m in files for p in m.points) / len(files) for q in (False, True))
        scores = [m.score or 0.0 for m in files if m.met]
        print(
            f"{tier:<9} alone {alone[tier] / once[tier]:.2f} times; {thorough:.1f} thorough and {quick:.1f} quick"
            f" encodes a file; {len(files)} files, {sum(not m.met for m in files)} out of reach, scores from"
            f" {min(scores):.1f}, mean {sum(scores) / len(scores):.1f}"
        )
