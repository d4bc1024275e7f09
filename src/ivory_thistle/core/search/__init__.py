"""Search: the encoder setting that meets a fidelity with the fewest bytes, or looks best under a byte cap."""

from ivory_thistle.core.search.coder import Coder, Found, Hint, Point
from ivory_thistle.core.search.scale import Scale
from ivory_thistle.core.search.search import best_under_cap, fewest_bytes, quick_bytes

__all__ = ["Coder", "Found", "Hint", "Point", "Scale", "best_under_cap", "fewest_bytes", "quick_bytes"]
