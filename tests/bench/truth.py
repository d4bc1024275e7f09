"""`./thistle bench truth FOLDER`: what we say every page loads on four screens, against what Chromium loads."""

from __future__ import annotations

import sys
from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path

from ivory_thistle.core.formats.tiers import shown_by_chromium
from ivory_thistle.core.selection.loads import LAZY_DISTANCE, Load, PageOnScreens
from ivory_thistle.core.selection.older_tiers import loaded_in_tier
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.intake.browser import PageMeasurement
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.reading import read_folder

SCREENS = {s.name: s for s in DEFAULT_SCREENS}


@dataclass
class Verdict:
    """Page-screens and `img` placements judged, those that differ as sentences, and how far bytes are off."""

    pages: int = 0
    placements: int = 0
    exact: int = 0
    within_a_per_cent: int = 0
    wrong: list[str] = field(default_factory=list)


def compare(root: Path) -> Verdict:
    """Judges every page of a folder on every screen, at opening and scrolled through."""
    folder = Folder(root)
    site = read_folder(folder)
    pages = {p.path: PageOnScreens(p.path, site, folder.read) for p in site.pages}
    verdict = Verdict()
    for m, weights in measure_folder(folder, site, DEFAULT_SCREENS):
        screen = SCREENS[m.screen]
        loads = pages[m.page].loads(screen, shown_by_chromium())
        where = f"{m.page} on {m.screen}"
        verdict.pages += 1
        older = loaded_in_tier(m.requests, pages[m.page], screen, "avif", site.files.__getitem__)
        if {one.address for one in older} != {one.address for one in weights["avif"]}:
            verdict.wrong.append(f"{where}: the tier that Chromium is in comes out otherwise")
        _judge_placements(verdict, where, loads, m)
        sizes = {path: file.bytes for path, file in site.files.items()}
        opening = _judge_bytes(verdict, f"{where} at opening", at_opening(loads, m, screen), m.requests, sizes, True)
        scrolled = _judge_bytes(verdict, f"{where} scrolled through", loads, m.requests, sizes, False)
        verdict.exact += opening[0] and scrolled[0]
        verdict.within_a_per_cent += opening[1] and scrolled[1]
    return verdict


def at_opening(loads: Iterable[Load], measured: PageMeasurement, screen: Screen) -> list[Load]:
    """Without the lazy pictures that lie further than `LAZY_DISTANCE` below the first screen (boxes measured)."""
    boxes = iter([p for p in measured.placements if p.kind == "img"])
    near = {}
    for load in loads:
        if load.kind == "img":
            box = next(boxes, None)
            near[load.place] = box is None or box.y <= screen.height + LAZY_DISTANCE
    return [load for load in loads if not load.lazy or near[load.place]]


def _judge_placements(verdict: Verdict, where: str, loads: list[Load], m: PageMeasurement) -> None:
    ours = [load.path for load in loads if load.kind == "img" and load.path]
    theirs = [p.path for p in m.placements if p.kind == "img" and p.path and p.path in {r.path for r in m.requests}]
    verdict.placements += len(theirs)
    verdict.wrong += [f"{where}: we say {a}, Chromium {b}" for a, b in zip(ours, theirs, strict=False) if a != b]
    if len(ours) != len(theirs):
        verdict.wrong.append(f"{where}: we see {len(ours)} images, Chromium {len(theirs)}")


def _judge_bytes(
    verdict: Verdict, where: str, loads: list[Load], requests: Iterable, sizes: dict[str, int], opening: bool
) -> tuple[bool, bool]:
    ours = {load.address: sizes[load.path] for load in loads if load.path}
    theirs = {r.address: r.bytes for r in requests if r.opening or not opening}
    for address in sorted(ours.keys() ^ theirs.keys()):
        verdict.wrong.append(f"{where}: {'only we' if address in ours else 'only Chromium'} load {address}")
    verdict.wrong += [f"{where}: bytes of {a}" for a in ours.keys() & theirs.keys() if ours[a] != theirs[a]]
    said, true = sum(ours.values()), sum(theirs.values())
    return ours == theirs, abs(said - true) <= 0.01 * true


if __name__ == "__main__":
    found = compare(Path(sys.argv[1]))
    print("\n".join(found.wrong))
    print(
        f"{found.placements} img placements and {found.pages} page-screens judged: bytes of {found.exact} exact, of"
        f" {found.within_a_per_cent} within 1 %, at opening and scrolled through; {len(found.wrong)} differences."
    )
    sys.exit(found.exact < found.pages)
