"""`./thistle bench forecast [FOLDER…]`: how near forecasts come to what runs then make.

Over the demo and Debian's mate-backgrounds (pictures alone), or the folders: bytes as the most modern browser loads them
from all pages, of all files, of each image at most, and seconds of treating, foretold before anything was made, after a closer look,
sketches and a sample, and as they came to be. Without a measurement, so that pages take the widths that their markup tells.
"""

from __future__ import annotations

import sys
import tempfile
import time
from collections.abc import Iterator, Mapping, Sequence
from math import hypot
from pathlib import Path

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.findings.audit import site_roles
from ivory_thistle.core.forecast.pages import Range
from ivory_thistle.core.forecast.probes import Probe
from ivory_thistle.core.formats.tiers import measured_tier
from ivory_thistle.core.treatment.guessing import guessed_slots
from ivory_thistle.core.treatment.ladder import Plan
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.intake.folder import Folder
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.forecasting import Foretold, foretell, sample_of, to_sketch, widest
from ivory_thistle.workflows.reading import read_folder
from ivory_thistle.workflows.sampling import look_closer
from ivory_thistle.workflows.treating import treatment_of
from ivory_thistle.workflows.workers import Call, Workers


class Bench:
    """One folder, foretold and treated; what is made is kept in a folder of its own."""

    def __init__(self, folder: Path, place: Path) -> None:
        self._folder, self._kept, self._blobs = Folder(folder), str(place / "kept"), Blobs(str(place / "blobs"))
        site = read_folder(self._folder)
        slots = list(guessed_slots(site))
        roles = {path: found.role for path, found in site_roles(site, slots).items()}
        self._at_hand = AtHand(site, self._folder.read, tuple(slots), roles)
        self._probes: dict[str, Probe] = {}

    def foretold(self) -> Foretold:
        """The forecast by what is known so far."""
        return foretell(self._at_hand, Rules(), {}, Policy(), self._kept, self._probes)

    def look_closer(self, told: Foretold) -> float:
        """Looks closer at every still picture; the seconds."""
        begun = time.monotonic()
        plans = [p for p in told.plans if p.steps and p.image.facts.frames == 1 and not p.image.facts.is_vector]
        for p in plans:
            self._blobs.put(self._folder.read(p.image.path), p.image.facts.sha256)
        with Workers() as workers:
            calls = (Call(p.image.path, look_closer, (self._blobs.url, p.image.facts), 60.0) for p in plans)
            for outcome in workers.run(calls):
                if outcome.value:
                    self._probes[str(outcome.key)] = Probe.from_dict(outcome.value)
        return time.monotonic() - begun

    def treat(self, plans: Sequence[Plan], sketch: bool = False) -> float:
        """Treats images, or sketches those of which that pays; the seconds."""
        begun = time.monotonic()
        with Workers() as workers:
            wanted = ((p.image.path, treatment_of(p)) for p in plans if p.steps)
            calls = (
                (one.at_first if sketch else one).call(path, self._blobs.url, self._folder.root / path, self._kept)
                for path, one in wanted
            )
            for _ in workers.run(calls):
                pass
        return time.monotonic() - begun


def compare(name: str, told: Foretold, truth: Foretold, seconds: float) -> None:
    """One line: how far off, and how many images within 30 %."""
    total, loaded = told.storage.likely / truth.storage.likely, _loaded(told) / _loaded(truth)
    held = told.storage.low <= truth.storage.likely <= told.storage.high
    pairs = list(_pairs(told.expected, truth.expected))
    ranges = list(_ranges(told, truth))
    covered = f", {100 * sum(ranges) / len(ranges):.0f} % of {len(ranges)} within their own range" if ranges else ""
    near = sum(abs(a - b) <= 0.3 * b for a, b in pairs) / max(1, len(pairs))
    took = f", time {told.seconds.likely / seconds:.2f} of the truth" if seconds > 1 else ""
    print(
        f"  {name}: {loaded:.2f} of the truth as loaded, all files {total:.2f} ({'within' if held else 'outside'} its "
        f"range), "
        f"{100 * near:.0f} % of {len(pairs)} images within 30 %{covered}{took}"
    )


def _loaded(told: Foretold) -> int:
    """Bytes that the most modern browser loads of all pages, or of each image at most where there are none."""
    tier = measured_tier()
    pages = sum(total.after.likely for total in told.totals if total.tier == tier and not total.opening)
    return pages or sum(widest(one) for path, one in told.expected.items() if one.path == path)


def _pairs(told: Mapping, truth: Mapping) -> Iterator[tuple[int, int]]:  # type: ignore[type-arg]
    for path, true in truth.items():
        if true.is_known and true.top and true.path == path:
            yield widest(told[path]), widest(true)


def _ranges(told: Foretold, truth: Foretold) -> Iterator[bool]:
    """Whether each image that was not known yet came to lie where eight cases of ten should."""
    for path, true in truth.expected.items():
        one = told.expected[path]
        if true.is_known and true.top and true.path == path and not one.is_known:
            spread = hypot(one.spread, told.learnt.site_spread)
            range_ = Range.around(widest(one), widest(one) * spread)
            yield range_.low <= widest(true) <= range_.high


def bench(folder: Path) -> None:
    """Foretells and treats a folder."""
    with tempfile.TemporaryDirectory() as place:
        one = Bench(folder, Path(place))
        begun = time.monotonic()
        first = one.foretold()
        asked = time.monotonic() - begun
        print(f"{folder.name}: {sum(bool(p.steps) for p in first.plans)} images, foretold in {asked:.2f} s")
        looked = one.look_closer(first)
        closer = one.foretold()
        sketching = one.treat(to_sketch(closer), sketch=True)
        sketched = one.foretold()
        sampled = one.treat(sample_of(sketched))
        surer = one.foretold()
        unknown = tuple(p for p in surer.plans if p.steps and not surer.expected[p.image.path].is_known)
        rest = one.treat(unknown)
        truth = one.foretold()
        compare("before anything was made", first, truth, sketching + sampled + rest)
        compare(f"after a closer look ({looked:.0f} s)", closer, truth, sketching + sampled + rest)
        compare(f"after sketches ({sketching:.0f} s)", sketched, truth, sampled + rest)
        compare(f"after a sample of {surer.learnt.known} ({sampled:.0f} s)", surer, truth, rest)


def main() -> None:
    demo, *folders = (Path(name) for name in sys.argv[1:])
    for folder in (demo, *folders):
        bench(folder)
    if folders:
        return
    from tests.registries import debian_package

    with tempfile.TemporaryDirectory() as place:
        bench(debian_package("mate-backgrounds", Path(place), "*.jpg"))


if __name__ == "__main__":
    main()
