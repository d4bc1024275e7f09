"""Boxes guessed from markup, before any page was measured."""

from __future__ import annotations

from collections.abc import Iterator

from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.core.treatment.roles import Slot

_LAPTOP = next(screen for screen in DEFAULT_SCREENS if screen.name == "laptop")


def guessed_slots(site: SiteReading) -> Iterator[Slot]:
    """The width attributes of images, as boxes on the laptop screen."""
    for page in site.pages:
        for p in page.placements:
            image = site.by_path.get(p.file or "")
            if p.declared_width and p.element == "img" and image and image.facts.width:
                height = p.declared_width * image.facts.height / image.facts.width
                yield Slot(
                    page=page.path, screen=_LAPTOP, path=image.path, kind="img", x=0, y=0, width=p.declared_width,
                    height=height, measured=False,
                )  # fmt: skip
