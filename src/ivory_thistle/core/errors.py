"""The error tree: broken promises only. Faults in users' files are values (see `faults`).

ThistleError
├── UnusableInput      the person's: what was asked for can't be read (folder, archive, arguments)
├── PictureError       the picture's: these bytes can't be decoded or are refused
└── EncodeError        ours or a codec's: an encoder did not deliver what its contract says
"""

from __future__ import annotations


class ThistleError(Exception):
    """Root of every error that Ivory Thistle raises on purpose; its text is written for the person."""


class UnusableInput(ThistleError):  # noqa: N818 - reads as a sentence where it is raised
    """What the person named can't be used. The text says what happened and what to do."""


class PictureError(ThistleError):
    """One picture can't be decoded, or is refused for its claims. It fails alone."""


class EncodeError(ThistleError):
    """An encoder broke its contract."""
