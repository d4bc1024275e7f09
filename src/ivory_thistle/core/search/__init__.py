"""Search: the encoder setting that meets a fidelity with the fewest bytes, or looks best under a byte cap."""

from ivory_thistle.core.search.search import Found, Point, best_under_cap, fewest_bytes

__all__ = ["Found", "Point", "best_under_cap", "fewest_bytes"]
