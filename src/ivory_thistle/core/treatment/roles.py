"""Roles: what an image does at a placement, with the reason in words."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fnmatch import translate
from functools import lru_cache
from typing import Literal, get_args

from ivory_thistle.core.selection.screen import Screen

Role = Literal["hero", "background", "content", "thumbnail", "logo", "icon", "decoration", "social card"]
ROLES: tuple[Role, ...] = get_args(Role)
"""All roles; an image with several placements takes the one that comes first here."""

ICON_SIDE = 48
_THUMBNAIL_SHARE, _THUMBNAIL_WIDTH = 0.34, 400
_HERO_WIDTH_SHARE, _HERO_AREA_SHARE = 0.5, 0.15
_LOGO = re.compile(r"(?:^|[^a-z])(?:logo|brand|wordmark)(?:$|[^a-z])", re.IGNORECASE)
_DECORATION = re.compile(
    r"(?:^|[^a-z])(?:divider|ornament|pattern|texture|deco\w*|spacer|bullet)(?:$|[^a-z])", re.IGNORECASE
)


@dataclass(frozen=True, slots=True)
class Slot:
    """A box that shows an image on a page and screen, in CSS px from the page's top left.

    `kind` is as in `MeasuredPlacement`, `around` the classes and ids of the element and what holds it, `alt` its
    alternative text (None: it has no such attribute). `measured` is false for a box guessed from markup.
    """

    page: str
    screen: Screen
    path: str
    kind: str
    x: float
    y: float
    width: float
    height: float
    first_screen: bool = False
    lazy: bool = False
    fit: str = ""
    element: str = ""
    alt: str | None = None
    around: str = ""
    measured: bool = True

    def drawn_width(self, ratio: float) -> float:
        """How wide the picture itself is drawn, in CSS px; `ratio` is its height over its width.

        A slot filled by cutting draws more than its own width where its height asks for that; one that shows the whole
        picture draws less where its height leaves no more.
        """
        if ratio <= 0:
            return self.width
        by_height = self.height / ratio
        if self.fit == "contain":
            return min(self.width, by_height)
        return max(self.width, by_height) if self.fit in ("cover", "none") else self.width

    def needed_width(self, ratio: float) -> float:
        """The pixels across that the picture needs here; 0 for a CSS picture painted at its own size."""
        if self.kind in ("background", "before", "after") and self.fit.startswith("auto"):
            return 0.0
        return self.drawn_width(ratio) * self.screen.useful_density


def slot_role(slot: Slot, alike: int) -> tuple[Role, str]:
    """The role of one slot, and why; `alike` counts the page's slots of about the same size, itself included."""
    share = slot.width / slot.screen.width
    size = f"{slot.width:.0f} × {slot.height:.0f} on {slot.screen.name}"
    if _LOGO.search(f"{slot.around} {slot.path.rsplit('/', 1)[-1]} {slot.alt or ''}") and share < 0.5:
        return "logo", f"It is called a logo, and shown at {size}."
    if max(slot.width, slot.height) <= ICON_SIDE:
        return "icon", f"Shown at {size}."
    covers = slot.width * slot.height / (slot.screen.width * slot.screen.height)
    if slot.kind in ("background", "before", "after"):
        if slot.fit.startswith("auto"):
            return "decoration", f"A CSS picture at its own size, in a box of {size}."
        if share >= _HERO_WIDTH_SHARE:
            return "background", f"A CSS background over {100 * share:.0f} % of the {slot.screen.name} screen's width."
        return "decoration", f"A CSS picture in a box of {size}."
    if slot.first_screen and slot.measured and share >= _HERO_WIDTH_SHARE and covers >= _HERO_AREA_SHARE:
        return "hero", f"On the first screen, over {100 * share:.0f} % of its width ({size})."
    if slot.alt == "" and _DECORATION.search(f"{slot.around} {slot.path}"):
        return "decoration", f"It has empty alternative text and is called a decoration ({size})."
    if share <= _THUMBNAIL_SHARE and slot.width <= _THUMBNAIL_WIDTH and alike >= 3:
        return "thumbnail", f"One of {alike} of about the same size, {size}."
    return "content", f"Shown at {size}."


def image_role(
    slots: Sequence[Slot], social: bool, icon: bool, pages: Iterable[Sequence[Slot]] = ()
) -> tuple[Role, str]:
    """The role of an image with these slots: that of the widest screen, the weightiest where several differ.

    `social`: cards name it; `icon`: a link or manifest names it as an icon; `pages` holds all slots of each page that
    shows it, to see which are alike. Without slots, what names it decides.
    """
    shown = [s for s in slots if s.width > 0 and s.height > 0]
    if not shown:
        if icon:
            return "icon", "Named as an icon of the site."
        if social:
            return "social card", "Only social cards name it."
        return "content", "No box that shows it is known."
    widest = max(s.screen.width for s in shown)
    others = {(s[0].page, s[0].screen.name): s for s in pages if s}
    found = [
        slot_role(s, _alike(s, others.get((s.page, s.screen.name), shown))) for s in shown if s.screen.width == widest
    ]
    return min(found, key=lambda f: ROLES.index(f[0]))


def _alike(slot: Slot, on_page: Sequence[Slot]) -> int:
    return sum(
        o.kind == slot.kind and abs(o.width - slot.width) <= 0.1 * slot.width and o.screen == slot.screen
        for o in on_page
    )


@dataclass(frozen=True, slots=True)
class RoleChoice:
    """A role given by hand to all paths that match a pattern (`*` for anything, also over `/`)."""

    pattern: str
    role: Role


class RoleChoices:
    """All choices of a site: a path counts before patterns, a longer pattern before a shorter, the last of equals."""

    def __init__(self, choices: Iterable[RoleChoice]) -> None:
        listed = list(choices)
        self._exact = {c.pattern: c for c in listed}
        patterns = [c for c in reversed(listed) if re.search(r"[*?]", c.pattern)]
        self._patterns = sorted(patterns, key=lambda c: -len(c.pattern))

    def of(self, path: str) -> RoleChoice | None:
        """The choice that holds for a path."""
        return self._exact.get(path) or next((c for c in self._patterns if matches(c.pattern, path)), None)


def matches(pattern: str, path: str) -> bool:
    """Whether a path matches a pattern; `[` and `]` stand for themselves."""
    return _compiled(pattern).match(path) is not None


@lru_cache(1024)
def _compiled(pattern: str) -> re.Pattern[str]:
    return re.compile(translate(pattern.replace("[", "[[]")))
