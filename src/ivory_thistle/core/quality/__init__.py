"""Quality: how a rendition looks against its original, and where it differs."""

from ivory_thistle.core.quality.damage import Spot, damage_map, worst_spots
from ivory_thistle.core.quality.frames import FrameScores, score_frames
from ivory_thistle.core.quality.ssimulacra2 import Prepared, prepare, score

__all__ = ["FrameScores", "Prepared", "Spot", "damage_map", "prepare", "score", "score_frames", "worst_spots"]
