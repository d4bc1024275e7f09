"""Encoders: decoded pixels and settings in, a file and its facts out. One file a format, one contract."""

from ivory_thistle.core.encoders.avif import encode_avif
from ivory_thistle.core.encoders.contract import Encoded
from ivory_thistle.core.encoders.jpeg import encode_jpeg
from ivory_thistle.core.encoders.png import encode_png
from ivory_thistle.core.encoders.webp import encode_webp

__all__ = ["Encoded", "encode_avif", "encode_jpeg", "encode_png", "encode_webp"]
