"""Budgets of pages by site, pattern or page, and caps of images by role: the most specific holds, and is named.

As TOML:

    [page]                 # every page on every screen
    bytes = 5_000_000
    requests = 60

    [[pages]]              # pages that match, perhaps on one screen only
    pattern = "news/*"
    screen = "phone"
    bytes = 1_500_000

    [caps.hero]            # an image in that role
    bytes = 300_000
    width = 2000           # pixels
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict, dataclass, field, replace
from typing import Any

import tomli_w

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.handed_in import read_toml
from ivory_thistle.core.treatment.roles import ROLES, Role, matches
from ivory_thistle.core.words import shown


@dataclass(frozen=True, slots=True)
class Cap:
    """What one image may weigh, in bytes, and how many pixels wide it may be."""

    bytes: int
    width: int

    def is_exceeded(self, size: int, width: int) -> bool:
        """Whether a picture of pixels weighs more, or is wider."""
        return size > self.bytes or width > self.width


# Common practice, no source: a hero up to about 300 kB and 2,000 px; a background at most 120 kB; a content picture at
# most 150 kB and 1,200 px; a portfolio tile about 800 px; nothing over 300 kB. The smaller roles are our own.
DEFAULT_CAPS: Mapping[Role, Cap] = {
    "hero": Cap(300_000, 2000),
    "background": Cap(120_000, 1920),
    "content": Cap(150_000, 1200),
    "thumbnail": Cap(60_000, 800),
    "logo": Cap(30_000, 600),
    "icon": Cap(10_000, 256),
    "decoration": Cap(60_000, 1200),
    "social card": Cap(300_000, 1200),
}
# Common practice, no source: a whole page on a phone not much over 5 MB.
DEFAULT_PAGE_BYTES = 5_000_000
DEFAULT_REQUESTS = 60
MOST: Mapping[str, int] = {"bytes": 10**12, "requests": 100_000, "width": 100_000}
MOST_PAGES, MOST_PATTERN, MOST_SCREEN = 200, 2_000, 32
"""What budgets may say: figures, how many are for some pages, and characters of a pattern and of a screen's name."""


@dataclass(frozen=True, slots=True)
class PageBudget:
    """Image bytes and image requests that pages may load; None leaves the wider budget in force.

    `pattern` is a page's path, a pattern, or empty for the whole site; `screen` a screen's name or empty for all.
    """

    pattern: str = ""
    screen: str = ""
    bytes: int | None = None
    requests: int | None = None

    @property
    def said(self) -> str:
        """Which budget this is, in words."""
        where = self.pattern or "the whole site"
        return f"{where} on {self.screen}" if self.screen else where


@dataclass(frozen=True, slots=True)
class Allowed:
    """What a page may load on a screen, and which budget says so."""

    bytes: int
    bytes_from: PageBudget
    requests: int
    requests_from: PageBudget


@dataclass(frozen=True, slots=True)
class Policy:
    """All budgets of a site. `pages` narrow `site`, which has both figures."""

    site: PageBudget = PageBudget("", "", DEFAULT_PAGE_BYTES, DEFAULT_REQUESTS)
    pages: tuple[PageBudget, ...] = ()
    caps: Mapping[Role, Cap] = field(default_factory=lambda: DEFAULT_CAPS)

    def allowed(self, page: str, screen: str = "") -> Allowed:
        """The budgets of a page on a screen (empty: on any): the most specific that gives a figure."""
        fitting = [self.site, *(b for b in self.pages if b.screen in ("", screen) and matches(b.pattern or "*", page))]
        fitting.sort(key=lambda b: (b.pattern == page, len(b.pattern), b.screen != ""))
        by_bytes = next(b for b in reversed(fitting) if b.bytes is not None)
        by_requests = next(b for b in reversed(fitting) if b.requests is not None)
        return Allowed(by_bytes.bytes or 0, by_bytes, by_requests.requests or 0, by_requests)

    def cap(self, role: Role) -> Cap:
        """The cap of images in a role."""
        return self.caps.get(role, DEFAULT_CAPS[role])

    def as_dict(self) -> dict[str, Any]:
        """Plain values in the order of the TOML."""
        return {
            "page": {"bytes": self.site.bytes, "requests": self.site.requests},
            "pages": [{k: v for k, v in asdict(b).items() if v not in (None, "")} for b in self.pages],
            "caps": {role: asdict(self.cap(role)) for role in ROLES},
        }

    def as_toml(self) -> str:
        """The policy as TOML."""
        return tomli_w.dumps(self.as_dict())

    @classmethod
    def from_dict(cls, values: Mapping[str, Any]) -> Policy:
        """A policy from plain values; what is missing is as by default. Raises UnusableInput with the place."""
        unknown = set(values) - {"page", "pages", "caps"}
        if unknown:
            raise UnusableInput(f"Budgets know no {shown(min(unknown))}; there are page, pages and caps.")
        given = _figures(_table(values, "page"), "page", ("bytes", "requests"))
        plain = cls().site
        site = PageBudget("", "", given.get("bytes", plain.bytes), given.get("requests", plain.requests))
        narrower = values.get("pages", [])
        if not isinstance(narrower, list) or len(narrower) > MOST_PAGES:
            raise UnusableInput(f"Budgets for some pages are tables under [[pages]], {MOST_PAGES} at most.")
        pages = tuple(_page_budget(b, n) for n, b in enumerate(narrower, 1))
        caps = {**DEFAULT_CAPS}
        for name, cap in _table(values, "caps").items():
            role = next((r for r in ROLES if r == name), None)
            if role is None or not isinstance(cap, Mapping):
                raise UnusableInput(f"There are no caps of {shown(name)}; there are {', '.join(ROLES)}.")
            caps[role] = replace(caps[role], **_figures(cap, f"caps.{name}", ("bytes", "width")))
        return cls(site, pages, caps)

    @classmethod
    def from_toml(cls, text: str) -> Policy:
        """A policy from TOML. Raises UnusableInput with line or place."""
        return cls.from_dict(read_toml(text))


def _table(values: Mapping[str, Any], name: str) -> Mapping[str, Any]:
    found = values.get(name, {})
    if not isinstance(found, Mapping):
        raise UnusableInput(f"{name} must be a table.")
    return found


def _figures(values: Mapping[str, Any], place: str, names: tuple[str, ...]) -> dict[str, int]:
    for name, value in values.items():
        if name not in names:
            raise UnusableInput(f"{place} knows no {shown(name)}; there are {' and '.join(names)}.")
        if not isinstance(value, int) or isinstance(value, bool) or not 0 < value <= MOST[name]:
            raise UnusableInput(f"{place}.{name} must be a whole number from 1 to {MOST[name]:,}.")
    return dict(values)


def _page_budget(values: Any, number: int) -> PageBudget:
    place = f"pages, number {number}"
    if not isinstance(values, Mapping) or not _is_text(values.get("pattern"), 1, MOST_PATTERN):
        raise UnusableInput(f"{place} needs a pattern.")
    if not _is_text(values.get("screen", ""), 0, MOST_SCREEN):
        raise UnusableInput(f"{place}: screen must be a screen's name.")
    rest = {k: v for k, v in values.items() if k not in ("pattern", "screen")}
    if not rest:
        raise UnusableInput(f"{place} needs bytes or requests.")
    figures = _figures(rest, place, ("bytes", "requests"))
    return PageBudget(values["pattern"], values.get("screen", ""), figures.get("bytes"), figures.get("requests"))


def _is_text(value: Any, least: int, most: int) -> bool:
    return isinstance(value, str) and least <= len(value) <= most
