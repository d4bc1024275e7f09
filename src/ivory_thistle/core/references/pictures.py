"""Which tags stand inside a `picture`, as they go by."""

from __future__ import annotations

from ivory_thistle.core.formats.table import format_of_mime
from ivory_thistle.core.formats.tiers import is_modern
from ivory_thistle.core.references.markup import Tag


class Pictures:
    """Told of every tag in the order of the source: whether the next stands inside a `picture`.

    `treated`: that one has a source of a modern format already; `start` is where it begins, None outside.
    """

    def __init__(self) -> None:
        self.start: int | None = None
        self.treated = False

    @property
    def inside(self) -> bool:
        """Whether a `picture` is open."""
        return self.start is not None

    def see(self, tag: Tag) -> None:
        """Takes the next tag."""
        if tag.name == "picture":
            self.start, self.treated = None if tag.closing else tag.start, False
        elif self.inside and tag.name == "source":
            kind = format_of_mime((tag.value("type") or "").strip().lower())
            self.treated |= kind is not None and is_modern(kind)
