"""Search: the encoder setting that meets a fidelity with the fewest bytes, or looks best under a byte cap."""

from ivory_thistle.core.search.scale import Scale
from ivory_thistle.core.search.search import Coder, Found, Hint, Point, best_under_cap, fewest_bytes

__all__ = ["Coder", "Found", "Hint", "Point", "Scale", "best_under_cap", "fewest_bytes"]
