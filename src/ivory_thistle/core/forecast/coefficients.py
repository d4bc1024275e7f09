"""The coefficients of the forecast: written by scripts/fit_forecast.py from 36 photographs and 24 drawings."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.forecast.model import Drawn, Plain, Probed

PROBED: Mapping[str, Probed] = {
    "avif": Probed(
        constant=-0.92,
        avif=0.892,
        jpeg=-0.015,
        wider=2.136,
        pixels=0.046,
        grain=0.676,
        fidelity=0.153,
        bent=0.061,
        spread=0.23,
    ),
    "webp": Probed(
        constant=-0.686,
        avif=0.87,
        jpeg=-0.095,
        wider=1.664,
        pixels=0.027,
        grain=0.468,
        fidelity=0.258,
        bent=0.082,
        spread=0.25,
    ),
    "jpeg": Probed(
        constant=-0.696,
        avif=0.565,
        jpeg=0.173,
        wider=1.441,
        pixels=0.015,
        grain=0.481,
        fidelity=0.219,
        bent=0.066,
        spread=0.21,
    ),
}
"""Searched files of pictures that were looked at closer, by format."""

PLAIN: Mapping[str, Plain] = {
    "avif": Plain(
        constant=-2.636, busy=1.206, pixels=-0.093, growth=1.389, grain=0.227, fidelity=0.522, bent=0.068, spread=0.35
    ),
    "webp": Plain(
        constant=-2.015, busy=1.083, pixels=-0.043, growth=1.092, grain=0.227, fidelity=0.564, bent=0.084, spread=0.35
    ),
    "jpeg": Plain(
        constant=-0.74, busy=1.113, pixels=-0.036, growth=0.49, grain=0.243, fidelity=0.526, bent=0.069, spread=0.26
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
    "avif drawn": 8.083,
    "avif fixed": 1.678,
    "avif searched": 3.748,
    "decoding": 0.0619,
    "jpeg fixed": 0.253,
    "jpeg searched": 1.293,
    "png drawn": 3.41,
    "webp drawn": 5.145,
    "webp fixed": 0.666,
    "webp searched": 1.422,
    "file": 0.03,
    "moving": 1.5,
    "page": 1.5,
    "vector": 0.05,
}
"""Of one worker: a megapixel of each format and way, of decoding, of an animation's frames; a file; a
vector drawing; and of the machine, a page looked at on one screen. The last four are not fitted."""
