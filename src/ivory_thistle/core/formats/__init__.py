"""Formats: one module each, registered in one table; and the audience tiers, one row each."""

from ivory_thistle.core.formats import avif, gif, heic, jpeg, old_windows, png, svg, tiff, webp

__all__ = ["avif", "gif", "heic", "jpeg", "old_windows", "png", "svg", "tiff", "webp"]
