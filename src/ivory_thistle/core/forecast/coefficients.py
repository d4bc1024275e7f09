"""The coefficients of the forecast: written by scripts/fit_forecast.py from 36 photographs and 24 drawings."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.forecast.model import Drawn, Plain, Probed

PROBED: Mapping[str, Probed] = {
    "avif": Probed(
        constant=-0.933,
        avif=0.891,
        jpeg=-0.012,
        wider=2.126,
        pixels=0.05,
        grain=0.676,
        fidelity=0.148,
        bent=0.096,
        spread=0.23,
    ),
    "webp": Probed(
        constant=-0.704,
        avif=0.868,
        jpeg=-0.092,
        wider=1.647,
        pixels=0.033,
        grain=0.468,
        fidelity=0.256,
        bent=0.133,
        spread=0.24,
    ),
    "jpeg": Probed(
        constant=-0.71,
        avif=0.563,
        jpeg=0.176,
        wider=1.428,
        pixels=0.02,
        grain=0.48,
        fidelity=0.216,
        bent=0.105,
        spread=0.21,
    ),
}
"""Searched files of pictures that were looked at closer, by format."""

PLAIN: Mapping[str, Plain] = {
    "avif": Plain(
        constant=-2.643, busy=1.207, pixels=-0.088, growth=1.387, grain=0.224, fidelity=0.517, bent=0.106, spread=0.35
    ),
    "webp": Plain(
        constant=-2.022, busy=1.084, pixels=-0.034, growth=1.088, grain=0.224, fidelity=0.562, bent=0.136, spread=0.35
    ),
    "jpeg": Plain(
        constant=-0.745, busy=1.114, pixels=-0.03, growth=0.487, grain=0.24, fidelity=0.523, bent=0.109, spread=0.26
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
    "avif drawn": 4.85,
    "avif fixed": 1.007,
    "avif searched": 2.249,
    "decoding": 0.0372,
    "jpeg fixed": 0.152,
    "jpeg searched": 0.776,
    "png drawn": 2.046,
    "webp drawn": 3.087,
    "webp fixed": 0.4,
    "webp searched": 0.853,
    "file": 0.03,
    "moving": 1.5,
    "page": 1.5,
    "vector": 0.05,
}
"""Of one worker: a megapixel of each format and way, of decoding, of an animation's frames; a file; a
vector drawing; and of the machine, a page looked at on one screen. The last four are not fitted."""
