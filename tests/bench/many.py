"""`./thistle bench many`: a forecast of 10,000 photographs on 500 pages and four screens, beside one of 1,000 on 50.

With nothing made of them, and with every second one made: the seconds an image should be the same. What is told of the
images is made up, and nothing is encoded.
"""

from __future__ import annotations

import random
import tempfile
import time

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.images.kind import Look
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.reports.report import PageWeights
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.rendition import RenditionFacts
from ivory_thistle.core.treatment.roles import Slot
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store.kept import Kept, KeptTreatment
from ivory_thistle.workflows.at_hand import AtHand
from ivory_thistle.workflows.forecasting import foretell
from ivory_thistle.workflows.planning import plan
from ivory_thistle.workflows.treating import treatment_of

FEW, MANY, ON_A_PAGE, TURNS = 1_000, 10_000, 20, 3
AIM = 3.0


def made_up(count: int) -> tuple[AtHand, PageWeights]:
    """A site of so many photographs, each on one page, with what its pages load and in which boxes."""
    chance = random.Random(count)
    images = []
    for n in range(count):
        width, busy = chance.choice((1200, 2000, 4000)), chance.uniform(0.5, 3)
        size, digest = int(width * width * chance.uniform(0.07, 0.4)), f"{n:064x}"
        detail = tuple((across, int(share * busy)) for across, share in ((160, 4_000), (480, 22_000), (1200, 110_000)))
        look = Look("photograph", "", {"grain": chance.uniform(0.6, 1)}, False, f"{n:016x}", detail)
        facts = ImageFacts("jpeg", width, width * 2 // 3, size, digest)
        images.append(SiteFile(f"{n}.jpg", digest, size, facts, look))
    pages, weights, slots = {}, {}, []
    for first in range(0, count, ON_A_PAGE):
        page, shown = f"{first}.html", images[first : first + ON_A_PAGE]
        pages[page] = "".join(f"<img src={one.path} width=600>" for one in shown).encode()
        loaded = tuple(Loaded(f"/{one.path}", one.path, one.bytes, opening=n < 6) for n, one in enumerate(shown))
        weights |= {(page, screen.name, tier): loaded for screen in DEFAULT_SCREENS for tier in TIERS}
        for screen in DEFAULT_SCREENS:
            box = {"kind": "img", "x": 0.0, "y": 0.0, "width": min(screen.width, 800), "height": 400.0}
            slots += [Slot(page=page, screen=screen, path=one.path, **box) for one in shown]
    files = [*images, *(SiteFile(page, f"{page:>064}", len(text)) for page, text in pages.items())]
    site = read_site(files, lambda path: pages[path])
    return AtHand(site, lambda path: pages[path], tuple(slots)), weights


def keep_half(at_hand: AtHand, rules: Rules, place: str) -> None:
    """Has every second image made: its files weigh more or less than they would."""
    kept, chance = Kept(place), random.Random(1)
    content = kept.blobs.put(b"a file")
    for planned in plan(at_hand, rules)[::2]:
        share = chance.uniform(0.02, 0.1)
        made = tuple(
            RenditionFacts(
                tier=tier, format=TIERS[tier].format, width=step.width, height=step.width, sha256=content,
                bytes=round(share * step.width**2),
            )
            for tier in TIERS for step in planned.steps
        )  # fmt: skip
        kept.keep(treatment_of(planned).key, KeptTreatment(made, (), seconds=3.0))


def seconds(at_hand: AtHand, rules: Rules, weights: PageWeights, place: str) -> float:
    """The least of some turns: other work of the machine only makes it slower."""
    took = []
    for _ in range(TURNS):
        begun = time.process_time()
        foretell(at_hand, rules, weights, Policy(), place)
        took.append(time.process_time() - begun)
    return min(took)


def main() -> None:
    ways = {"by search": Rules(), "fixed qualities": Rules(fixed=True)}
    few, many = made_up(FEW), made_up(MANY)
    for name, rules in ways.items():
        for half in (False, True):
            took = []
            for at_hand, weights in (few, many):
                with tempfile.TemporaryDirectory() as place:
                    if half:
                        keep_half(at_hand, rules, place)
                    took.append(seconds(at_hand, rules, weights, place))
            said = f"{name}, {'every second image' if half else 'nothing'} made"
            times = took[1] / took[0] / (MANY / FEW)
            print(
                f"{said}: {took[1]:.2f} CPU s for {MANY:,} images (aim {AIM:g}), {times:.2f} times as long an image as {FEW:,}"
            )


if __name__ == "__main__":
    main()
