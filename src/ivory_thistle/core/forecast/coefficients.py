"""The coefficients of the forecast: written by scripts/fit_forecast.py from 36 photographs and 24 drawings."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.forecast.model import Drawn, Plain, Probed

PROBED: Mapping[str, Probed] = {
    "avif": Probed(
        constant=-0.959,
        avif=0.896,
        jpeg=-0.021,
        wider=2.151,
        pixels=0.037,
        grain=0.684,
        fidelity=0.087,
        bent=0.107,
        spread=0.23,
    ),
    "webp": Probed(
        constant=-0.754,
        avif=0.881,
        jpeg=-0.112,
        wider=1.666,
        pixels=0.021,
        grain=0.482,
        fidelity=0.177,
        bent=0.175,
        spread=0.25,
    ),
    "jpeg": Probed(
        constant=-0.743,
        avif=0.567,
        jpeg=0.169,
        wider=1.446,
        pixels=0.009,
        grain=0.487,
        fidelity=0.153,
        bent=0.137,
        spread=0.22,
    ),
}
"""Searched files of pictures that were looked at closer, by format."""

PLAIN: Mapping[str, Plain] = {
    "avif": Plain(
        constant=-2.707, busy=1.201, pixels=-0.106, growth=1.398, grain=0.238, fidelity=0.447, bent=0.119, spread=0.36
    ),
    "webp": Plain(
        constant=-2.107, busy=1.077, pixels=-0.049, growth=1.1, grain=0.242, fidelity=0.48, bent=0.182, spread=0.35
    ),
    "jpeg": Plain(
        constant=-0.808, busy=1.109, pixels=-0.045, growth=0.496, grain=0.253, fidelity=0.455, bent=0.136, spread=0.27
    ),
}
"""Searched files of the others."""

FIXED: Mapping[str, Plain] = {
    "avif": Plain(constant=-1.862, busy=1.078, pixels=-0.086, growth=0.634, grain=0.297, spread=0.17),
    "webp": Plain(constant=-0.538, busy=1.321, pixels=-0.038, growth=0.426, grain=0.267, spread=0.18),
    "jpeg": Plain(constant=-0.021, busy=1.055, pixels=-0.029, growth=-0.028, grain=0.168, spread=0.08),
}
"""Files at their tier's own fixed quality."""

DRAWN: Mapping[str, Drawn] = {
    "avif": Drawn(constant=-1.615, original=0.243, busy=0.843, narrower=0.325, spread=0.69),
    "webp": Drawn(constant=-4.462, original=0.589, busy=0.84, narrower=0.471, spread=0.47),
    "png": Drawn(constant=-5.51, original=0.611, busy=0.898, narrower=0.425, spread=0.69),
}
"""Files of drawings."""

SECONDS: Mapping[str, float] = {
    "avif drawn": 4.365,
    "avif fixed": 1.007,
    "avif searched": 2.024,
    "decoding": 0.0372,
    "jpeg fixed": 0.152,
    "jpeg searched": 0.698,
    "png drawn": 1.841,
    "webp drawn": 2.778,
    "webp fixed": 0.4,
    "webp searched": 0.768,
    "file": 0.03,
    "moving": 1.5,
    "page": 1.5,
    "page measured": 1.1,
    "vector": 0.05,
}
"""Of one worker: a megapixel of each format and way, of decoding, of an animation's frames; a file; a
vector drawing; and of the machine, a page looked at on one screen, and one that was
seen before when it was measured. The last five are not fitted."""
