"""What was seen of a site's pages before a change: looked at once, and held against whatever is made of them."""

from __future__ import annotations

from collections.abc import Callable

from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.differences import Seen

LookUp = Callable[[str, Screen], Seen | None]
"""Gives what was seen of a page on a screen some time ago; None where nothing was."""


def nothing_known(page: str, screen: Screen) -> Seen | None:
    """Every page has to be looked at."""
    return None


class Known:
    """The looks at pages before a change, by page and the name of the screen."""

    def __init__(self, look_up: LookUp = nothing_known) -> None:
        """`look_up` is asked for what is not known yet."""
        self._look_up = look_up
        self._seen: dict[tuple[str, str], Seen] = {}
        self._afresh: set[str] = set()

    def get(self, page: str, screen: Screen) -> Seen | None:
        """What is known; None: it has to be looked at."""
        found = self._seen.get((page, screen.name))
        return found or (None if page in self._afresh else self._look_up(page, screen))

    def keep(self, page: str, screen: Screen, seen: Seen) -> None:
        """Keeps a look until it is forgotten."""
        self._seen[page, screen.name] = seen

    def look_afresh(self, page: str) -> None:
        """Nothing that was seen of a page counts any more."""
        self._afresh.add(page)
        for key in [key for key in self._seen if key[0] == page]:
            del self._seen[key]

    def forget(self) -> None:
        """Lets go of what is held in memory."""
        self._seen.clear()
