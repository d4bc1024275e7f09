"""The coefficients of the forecast, as scripts/fit_forecast.py writes them."""

from __future__ import annotations

from collections.abc import Mapping

from ivory_thistle.core.forecast.model import Drawn, Plain, Probed

PROBED: Mapping[str, Probed] = {
    "avif": Probed(
        constant=-0.373,
        avif=0.798,
        jpeg=0.18,
        wider=2.369,
        pixels=0.137,
        grain=0.385,
        fidelity=0.072,
        bent=0.1,
        spread=0.23,
        beside=0.21,
    ),
    "jpeg": Probed(
        constant=-0.105,
        avif=0.194,
        jpeg=0.763,
        wider=1.106,
        pixels=-0.046,
        grain=-0.034,
        fidelity=0.079,
        bent=0.144,
        spread=0.16,
        beside=0.0,
    ),
    "webp": Probed(
        constant=-0.304,
        avif=0.817,
        jpeg=0.042,
        wider=1.739,
        pixels=0.088,
        grain=0.246,
        fidelity=0.116,
        bent=0.117,
        spread=0.2,
        beside=0.18,
    ),
}
"""Searched files of pictures that were looked at closer, by format."""

PLAIN: Mapping[str, Plain] = {
    "avif": Plain(
        constant=-2.301,
        busy=1.271,
        pixels=0.008,
        growth=1.184,
        grain=0.524,
        fidelity=0.453,
        bent=0.099,
        spread=0.35,
        beside=0.23,
    ),
    "jpeg": Plain(
        constant=-0.852,
        busy=1.074,
        pixels=-0.033,
        growth=0.424,
        grain=0.29,
        fidelity=0.457,
        bent=0.134,
        spread=0.29,
        beside=0.0,
    ),
    "webp": Plain(
        constant=-1.653,
        busy=1.154,
        pixels=0.028,
        growth=0.905,
        grain=0.392,
        fidelity=0.448,
        bent=0.11,
        spread=0.33,
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
