"""The forms in which a handover leaves."""

from __future__ import annotations

from enum import StrEnum


class HandoverForm(StrEnum):
    """How what was made reaches visitors.

    `MARKUP`: pages are rewritten to name the new files. `SAME_ADDRESSES`: pages stay, and a server chooses among files
    beside the originals by what a browser accepts. `FILES_ONLY`: the new files alone, for pages written elsewhere.
    `IN_PLACE`: smaller files take the originals' names and formats.
    """

    MARKUP = "markup"
    SAME_ADDRESSES = "same-addresses"
    FILES_ONLY = "files-only"
    IN_PLACE = "in-place"

    @property
    def rewrites(self) -> bool:
        """Whether new files are made for what markup can ask for; else each has its original's size."""
        return self in (HandoverForm.MARKUP, HandoverForm.FILES_ONLY)
