"""Who visits: shares of audience tiers and of screens, and how often each page is viewed."""

from __future__ import annotations

import csv
import io
from collections import defaultdict
from collections.abc import Callable, Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from math import isfinite
from urllib.parse import unquote, urlsplit

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS, Tier
from ivory_thistle.core.reports.browser_shares import BROWSER_SHARES
from ivory_thistle.core.selection.screen import Screen

# Our own assumption, meant to be replaced by a site's own figures: six of ten visits on a phone, few on a tablet.
DEVICE_SHARES: Mapping[str, float] = {"phone": 0.6, "tablet": 0.03, "desktop": 0.37}
_PHONE_UP_TO, _TABLET_UP_TO = 600, 1100
_DEVICES = {"mobile": "phone", "smartphone": "phone", "laptop": "desktop", "computer": "desktop"}
_COLUMNS = {"page": ("page", "path", "url"), "views": ("views", "pageviews", "visits"), "device": ("device", "screen")}
MOST_VIEW_BYTES = 8_000_000
_MOST_ROWS = 200_000
_MOST_TOLD = 20


def device_of(screen: Screen) -> str:
    """The class of devices that a screen stands for, by its width in CSS px."""
    if screen.width <= _PHONE_UP_TO:
        return "phone"
    return "tablet" if screen.width <= _TABLET_UP_TO else "desktop"


def usual_screen_shares(screens: Sequence[Screen]) -> dict[str, float]:
    """The assumed share of each screen; screens of one class have equal parts."""
    alike: dict[str, int] = defaultdict(int)
    for screen in screens:
        alike[device_of(screen)] += 1
    return shares({s.name: DEVICE_SHARES[device_of(s)] / alike[device_of(s)] for s in screens})


def usual_tier_shares() -> dict[Tier, float]:
    """The share of each tier worldwide; a tier that nobody has counted has none."""
    return shares({tier: BROWSER_SHARES.get(tier, 0.0) for tier in TIERS})


def shares(given: Mapping[str, float]) -> dict[str, float]:
    """The same with a sum of 1. Raises UnusableInput for what can't be shares."""
    if any(not isfinite(share) or share < 0 for share in given.values()):
        raise UnusableInput("Shares are numbers from 0 up.")
    largest = max(given.values(), default=0.0)
    if not largest:
        raise UnusableInput("At least one share must be above 0.")
    # The sum of very large ones would be infinite.
    parts = {name: share / largest for name, share in given.items()}
    total = sum(parts.values())
    return {name: part / total for name, part in parts.items()}


@dataclass(frozen=True, slots=True)
class Audience:
    """Shares by tier and by screen, each with a sum of 1; `views` by page and device ("" for any), per month."""

    tiers: Mapping[Tier, float]
    screens: Mapping[str, float]
    views: Mapping[str, Mapping[str, int]] = field(default_factory=dict)

    def weights(self, screens: Sequence[Screen], pages: Collection[str]) -> Mapping[tuple[str, str, Tier], float]:
        """By page, screen and tier, the share of all page views; the sum is 1. Without views, pages count alike."""
        counted: dict[tuple[str, str], float] = defaultdict(float)
        for page in pages:
            for device, count in self._of(page):
                on = self._screens_of(device, screens)
                for name, share in on.items():
                    counted[page, name] += count * share
        total = sum(counted.values()) or 1.0
        return {
            (page, screen, tier): count / total * share
            for (page, screen), count in counted.items()
            for tier, share in self.tiers.items()
        }

    def total_views(self, pages: Iterable[str]) -> int:
        """Page views of these pages in a month; 0 where none are known."""
        return sum(sum(self.views.get(page, {}).values()) for page in pages)

    def _of(self, page: str) -> Iterable[tuple[str, int]]:
        return self.views.get(page, {}).items() if self.views else (("", 1),)

    def _screens_of(self, device: str, screens: Sequence[Screen]) -> Mapping[str, float]:
        """How views on a device spread over the screens; over all where no screen is of its class."""
        fitting = [s.name for s in screens if device in (s.name, device_of(s))]
        some = {name: self.screens.get(name, 0.0) for name in fitting or [s.name for s in screens]}
        total = sum(some.values())
        return {name: share / total if total else 1 / len(some) for name, share in some.items()}


def usual_audience(screens: Sequence[Screen]) -> Audience:
    """What is assumed of a site's visitors until somebody knows better."""
    return Audience(usual_tier_shares(), usual_screen_shares(screens))


@dataclass(frozen=True, slots=True)
class ReadViews:
    """Page views as read: by page and device, and what was not taken, in words."""

    views: Mapping[str, Mapping[str, int]]
    problems: tuple[str, ...] = ()


def read_views(data: bytes, pages: Collection[str], screens: Sequence[Screen]) -> ReadViews:
    """Reads a CSV of page views: a column `page` (a path or an address), `views`, and perhaps `device`.

    A device is `phone`, `tablet`, `desktop` or the name of a screen. Raises UnusableInput where it is no such table.
    """
    if len(data) > MOST_VIEW_BYTES:
        raise UnusableInput(f"This is more than {MOST_VIEW_BYTES / 1e6:.0f} MB; sum the views up by page.")
    rows = csv.reader(io.StringIO(data.decode("utf-8-sig", "replace"), newline=""))
    find = _finder(pages)
    known = {"phone", "tablet", "desktop", *(s.name for s in screens)}
    views: dict[str, dict[str, int]] = defaultdict(lambda: defaultdict(int))
    problems: list[str] = []
    try:
        columns = _columns([cell.strip().lower() for cell in next(rows, [])])
        for number, row in enumerate(rows, 2):
            if number > _MOST_ROWS:
                raise UnusableInput(f"More than {_MOST_ROWS:,} lines; sum the views up by page.")
            if not any(cell.strip() for cell in row):
                continue
            problem = _take(row, columns, find, known, views)
            if problem and len(problems) < _MOST_TOLD:
                problems.append(f"Line {number}: {problem}")
    except csv.Error as error:
        raise UnusableInput(f"This is no CSV: {error}.") from error
    if not views:
        raise UnusableInput(problems[0] if problems else "This CSV tells no views.")
    return ReadViews({page: dict(by_device) for page, by_device in views.items()}, tuple(problems))


def _columns(head: Sequence[str]) -> dict[str, int]:
    found = {
        name: next(head.index(word) for word in words if word in head)
        for name, words in _COLUMNS.items()
        if not set(words).isdisjoint(head)
    }
    if not {"page", "views"} <= found.keys():
        raise UnusableInput("The first line must name the columns page and views, and may name device.")
    return found


def _take(
    row: Sequence[str],
    columns: Mapping[str, int],
    find: Callable[[str], str | None],
    devices: Collection[str],
    views: dict[str, dict[str, int]],
) -> str:
    """Adds one line; what is wrong with it, in words."""
    cells = {name: row[at].strip() if at < len(row) else "" for name, at in columns.items()}
    count = cells["views"].replace(",", "").replace(" ", "")
    # Beyond eighteen digits nobody counts views.
    if not (count.isascii() and count.isdigit() and len(count) <= 18):
        return f"{cells['views'][:40]!r} is no number of views."
    device = cells.get("device", "").lower()
    device = _DEVICES.get(device, device) if device not in devices else device
    if device and device not in devices:
        return f"{device[:40]!r} is no device; there are {', '.join(sorted(devices))}."
    page = find(cells["page"])
    if page is None:
        return f"The site has no page {cells['page'][:200]!r}."
    views[page][device] += int(count)
    return ""


def _finder(pages: Collection[str]) -> Callable[[str], str | None]:
    """Leads from a path or an address to a page of the site."""
    known = set(pages)

    def spellings(text: str) -> Iterator[str]:
        try:
            path = unquote(urlsplit(text).path).lstrip("/")
        except ValueError:
            return
        yield path
        yield f"{path.rstrip('/')}/index.html".lstrip("/")
        yield f"{path.rstrip('/')}.html"

    return lambda text: next((path for path in spellings(text) if path in known), None)
