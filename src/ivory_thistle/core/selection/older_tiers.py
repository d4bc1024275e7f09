"""What a page loads in an older tier than the one that Chromium shows."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Collection, Mapping, Sequence
from dataclasses import replace

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import Tier, shown_by, shown_by_chromium
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.selection.loads import Load, Loaded, PageOnScreens
from ivory_thistle.core.selection.screen import Screen


def loaded_in_tier(
    loaded: Sequence[Loaded], page: PageOnScreens, screen: Screen, tier: Tier, file_of: Callable[[str], SiteFile]
) -> tuple[Loaded, ...]:
    """What a page loads in an older tier, from what Chromium loaded of it.

    Every use whose file Chromium chose as we say is chosen again for the tier. Where it chose another candidate of an
    `img` than we say (its box was not known, or one was in its memory), the tier's candidate of the like size stands
    for it. What markup and style sheets do not explain (a script's picture) stays where the tier shows its format.
    """
    theirs = {load.place: load for load in page.loads(screen, shown_by_chromium())}
    ours = {load.place: load for load in page.loads(screen, shown_by(tier))}
    places: dict[str, list[tuple[int, str]]] = defaultdict(list)
    for place, load in theirs.items():
        places[load.address].append(place)
    found: dict[str, Loaded] = {}
    came = {one.address for one in loaded}
    for one in loaded:
        instead = [ours[p] for p in places.get(one.address, ()) if p in ours]
        if one.address not in places:
            other = _like(one, page, screen, tier, file_of, came, theirs)
            if other:
                found.setdefault(other.address, other)
            elif _shows(tier, file_of(one.path)):
                found.setdefault(one.address, replace(one, guessed=True))
        for load in instead:
            if load.path is not None:
                opening = one.opening or (load.address in found and found[load.address].opening)
                found[load.address] = Loaded(load.address, load.path, file_of(load.path).bytes, opening)
    return tuple(found.values())


def _like(
    one: Loaded,
    page: PageOnScreens,
    screen: Screen,
    tier: Tier,
    file_of: Callable[[str], SiteFile],
    came: Collection[str],
    theirs: Mapping[tuple[int, str], Load],
) -> Loaded | None:
    """What a tier loads in the place of a candidate that we would not have chosen: the least as wide, or the widest.

    Of the `img`s that name it, one of which nothing that we foretold came.
    """
    naming = page.places_naming.get(one.address, ())
    place = next((p for p in naming if p not in theirs or theirs[p].address not in came), None)
    if place is None:
        return None
    mine = file_of(one.path).image
    known = {address: page.file(address) for address in page.offered(place, screen, shown_by(tier))}
    files = [(a, f, f.image) for a, f in known.items() if f and f.image and _shows(tier, f)]
    if not files or mine is None:
        return None
    enough = [f for f in files if f[2].width >= mine.width]
    address, file, _ = min(enough, key=lambda f: f[2].width) if enough else max(files, key=lambda f: f[2].width)
    return Loaded(address, file.path, file.bytes, one.opening, guessed=True)


def _shows(tier: Tier, file: SiteFile) -> bool:
    return file.image is not None and FORMATS[file.image.format].mime in shown_by(tier)
