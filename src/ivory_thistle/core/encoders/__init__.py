"""Encoders: decoded pixels and settings in, a file and its facts out. One file a format, one contract."""

from ivory_thistle.core.encoders.avif import AVIF
from ivory_thistle.core.encoders.contract import Ability, Chroma, Encoded, Encoder, Settings
from ivory_thistle.core.encoders.jpeg import JPEG
from ivory_thistle.core.encoders.png import PNG
from ivory_thistle.core.encoders.webp import WEBP

ENCODERS = (AVIF, WEBP, JPEG, PNG)
"""Every encoder; each passes the contract test (`tests/core/test_encoders.py`)."""

__all__ = ["AVIF", "ENCODERS", "JPEG", "PNG", "WEBP", "Ability", "Chroma", "Encoded", "Encoder", "Settings"]
