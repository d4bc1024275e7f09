"""The coefficients of the forecast, as scripts/fit_forecast.py writes them."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.forecast.model import Drawn, Plain, Probed

PROBED: Mapping[str, Probed] = {
    "avif": Probed(
        constant=-0.324,
        avif=0.785,
        jpeg=0.195,
        wider=2.4,
        pixels=0.17,
        grain=0.393,
        fidelity=0.155,
        bent=0.071,
        spread=0.22,
        beside=0.21,
    ),
    "jpeg": Probed(
        constant=-0.042,
        avif=0.18,
        jpeg=0.779,
        wider=1.149,
        pixels=-0.017,
        grain=-0.025,
        fidelity=0.162,
        bent=0.078,
        spread=0.14,
        beside=0.0,
    ),
    "webp": Probed(
        constant=-0.249,
        avif=0.803,
        jpeg=0.059,
        wider=1.775,
        pixels=0.12,
        grain=0.255,
        fidelity=0.2,
        bent=0.074,
        spread=0.19,
        beside=0.18,
    ),
}
"""Searched files of pictures that were looked at closer, by format."""

PLAIN: Mapping[str, Plain] = {
    "avif": Plain(
        constant=-2.279,
        busy=1.268,
        pixels=0.034,
        growth=1.188,
        grain=0.537,
        fidelity=0.533,
        bent=0.068,
        spread=0.34,
        beside=0.23,
    ),
    "jpeg": Plain(
        constant=-0.821,
        busy=1.071,
        pixels=-0.011,
        growth=0.428,
        grain=0.305,
        fidelity=0.538,
        bent=0.075,
        spread=0.28,
        beside=0.0,
    ),
    "webp": Plain(
        constant=-1.628,
        busy=1.15,
        pixels=0.055,
        growth=0.908,
        grain=0.406,
        fidelity=0.531,
        bent=0.072,
        spread=0.32,
        beside=0.21,
    ),
}
"""Searched files of the others."""

FIXED: Mapping[str, Plain] = {
    "avif": Plain(constant=-1.129, busy=1.19, pixels=-0.013, growth=0.432, grain=0.205, spread=0.18, beside=0.15),
    "jpeg": Plain(constant=0.211, busy=1.089, pixels=-0.033, growth=-0.135, grain=0.165, spread=0.12, beside=0.0),
    "webp": Plain(constant=0.452, busy=1.485, pixels=-0.002, growth=0.225, grain=-0.042, spread=0.17, beside=0.14),
}
"""Files at their tier's own fixed quality."""

DRAWN: Mapping[str, Drawn] = {
    "avif": Drawn(constant=-1.615, original=0.243, busy=0.843, narrower=0.325, spread=0.69, beside=0.54),
    "png": Drawn(constant=-5.51, original=0.611, busy=0.898, narrower=0.425, spread=0.69, beside=0.0),
    "webp": Drawn(constant=-4.462, original=0.589, busy=0.84, narrower=0.471, spread=0.47, beside=0.47),
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
