"""`./thistle bench run [FOLDER…]`: what treating costs beside a bare loop over the same codecs, and what it saves.

Over photographs (Debian's mate-backgrounds, or the JPEG files of the folders) and every eighth image of the demo:
CPU of treating over CPU of decoding, reducing and encoding every format once (with the final settings; with the usual
ones where a format was given up), by search and with fixed qualities; images a second; memory with a picture of 50 megapixels; bytes against one quality for all at the same
worst score.
"""

from __future__ import annotations

import subprocess
import sys
import tempfile
import time
from collections.abc import Iterable, Sequence
from pathlib import Path
from typing import Any

import cv2
import numpy as np
from PIL import Image
from tests.bench.ladders import LOSSY, WIDTHS, encoded_once, ladder, one_quality, photographs

from ivory_thistle.core.formats.encoder import Settings
from ivory_thistle.core.formats.table import FormatName
from ivory_thistle.core.formats.tiers import TIERS, Tier, ways_for
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.pixels import decode, reduce
from ivory_thistle.core.treatment import treat
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.making import make_files, make_worthwhile_files
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.wish import Files, Rung, Wish
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.reading import read_folder

Work = list[tuple[bytes, ImageFacts, tuple[Step, ...]]]
ONE_QUALITY: dict[Tier, int] = {"avif": 60, "webp": 80, "baseline": 80}
_EVERY = 8
_MEGAPIXELS = 50


def demo(folder: str) -> Work:
    """Every eighth still image of the demo with its plan."""
    root = Folder(Path(folder))
    site = read_folder(root)
    plans = [p for p in plan(AtHand(site, root.read), Rules()) if p.steps and p.image.facts.frames == 1]
    still = [p for p in plans if not p.image.facts.is_vector]
    return [(root.read(p.image.path), p.image.facts, p.steps) for p in still[::_EVERY]]


class Recorded:
    """Stands before `make_worthwhile_files` while images are treated, and notes what it made."""

    def __init__(self) -> None:
        self.kept: list[tuple[Rung, FormatName, Settings]] = []
        self.given_up: list[tuple[Rung, FormatName, Settings]] = []

    def __call__(self, rungs: Sequence[Rung], wish: Wish, tiers: Sequence[Tier]) -> Files:
        files = make_worthwhile_files(rungs, wish, tiers)
        for tier in tiers:
            if tier in files.made:
                made = (m.encoded for m in files.made[tier])
                self.kept += [(r, e.format, e.how) for r, e in zip(rungs, made, strict=True)]
            else:
                self.given_up += [(r, *usual(tier, wish, wish.fidelity(r), r.pixels.has_alpha)) for r in rungs]
        return files


def usual(tier: Tier, wish: Wish, fidelity: int, has_alpha: bool) -> tuple[FormatName, Settings]:
    """How a loop that searches nothing encodes a file of a tier: losslessly what is drawn, else at one quality."""
    row = TIERS[tier]
    if ways := ways_for(tier, wish.drawn, has_alpha, wish.fallback):
        return ways[0]
    quality = wish.rules.quality_for(tier) if wish.rules.fixed else round(row.making.scale.setting(fidelity))
    return row.format, row.making.settings(quality, False, False)


def ratios(work: Work, rules: Rules) -> tuple[float, float, float]:
    """CPU of treating over CPU of the bare loop, the same where that knows what is kept, and CPU seconds an image."""
    treating = bare = for_nothing = 0.0
    for data, facts, steps in work:
        recorded = Recorded()
        treat.make_worthwhile_files = recorded  # type: ignore[attr-defined]
        begun = time.process_time()
        treat.treat_image(data, facts, steps, rules, kind="photograph")
        treating += time.process_time() - begun
        begun = time.process_time()
        top = decode(data, facts, steps[-1].width)
        for step in steps[:-1]:
            reduce(top, step.width)
        bare += time.process_time() - begun
        bare += sum(encoded_once(*one) for one in recorded.kept)
        for_nothing += sum(encoded_once(*one) for one in recorded.given_up)
    return treating / (bare + for_nothing), treating / bare, treating / len(work)


def large() -> None:
    """Treats a picture of 50 megapixels and prints the process's peak memory in MB."""
    rng = np.random.default_rng(1)
    small = rng.integers(40, 210, (60, 90, 3), dtype=np.uint8)
    height = int((_MEGAPIXELS * 1e6 / 1.5) ** 0.5)
    path = Path(sys.argv[2])
    if not path.exists():
        Image.fromarray(small).resize((height * 3 // 2, height), Image.Resampling.BICUBIC).save(path, quality=92)
        return
    data = path.read_bytes()
    facts = read_facts(path.name, data)[0]
    assert facts is not None
    treat.treat_image(data, facts, [Step(w) for w in (480, 960, 1440, 1920)], Rules(), kind="photograph")
    # The kernel's own mark: getrusage also counts the process that started this one.
    status = Path("/proc/self/status").read_text()
    print(round(int(status.split("VmHWM:")[1].split()[0]) * 1024 / 1e6))


def peak_memory(place: Path) -> int:
    """In MB, of a process that treats the large picture; the picture is made by another one before."""
    command: list[Any] = [sys.executable, "-m", "tests.bench.run", "--large", place / "large.jpg"]
    subprocess.run(command, check=True)
    return int(subprocess.run(command, check=True, capture_output=True, text=True).stdout)


def against_one_quality(ladders: Sequence[Sequence[Rung]]) -> Iterable[str]:
    """For each format: one quality for all, and searches for the worst score that this gives."""
    for tier in LOSSY:
        plain, worst = one_quality(tier, ladders, ONE_QUALITY[tier])
        goal = int(worst)
        wish = Wish(Rules(), False, lambda rung, goal=goal: goal)  # type: ignore[misc]
        made = [m for rungs in ladders for m in make_files(rungs, wish, [tier])[tier]]
        ours, floor = sum(m.encoded.bytes for m in made), min(m.score or 0 for m in made)
        yield (
            f"{tier:<9} quality {ONE_QUALITY[tier]} for all: {plain / 1000:,.0f} kB, worst score {worst:.1f};"
            f" by search {ours / 1000:,.0f} kB, worst {floor:.1f}: {100 * (1 - ours / plain):.0f} % less"
        )


if __name__ == "__main__":
    cv2.setNumThreads(1)
    if sys.argv[1] == "--large":
        large()
        sys.exit()
    pictures = list(photographs(sys.argv[2:]))
    work = [(d, f, tuple(Step(w) for w in WIDTHS if w < f.width) or (Step(f.width),)) for d, f in pictures]
    work += demo(sys.argv[1])
    print(f"{len(work)} images on one thread")
    for name, rules in (("by search", Rules()), ("fixed qualities", Rules(fixed=True))):
        times, knowing, seconds = ratios(work, rules)
        print(
            f"{name}: {times:.2f} times the CPU of a bare loop over all formats, {knowing:.2f} times that of one that"
            f" knows which are worth their files; {1 / seconds:.2f} images a second"
        )
    with tempfile.TemporaryDirectory() as place:
        print(f"peak memory with {_MEGAPIXELS} megapixels: {peak_memory(Path(place))} MB")
    for line in against_one_quality([ladder(d, f) for d, f in pictures]):
        print(line)
