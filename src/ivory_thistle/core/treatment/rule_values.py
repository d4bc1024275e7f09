"""What each entry of the rules' TOML may say: its value checked and as `Rule` keeps it."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any, get_args

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import TIERS, modern_tiers
from ivory_thistle.core.handed_in import is_text
from ivory_thistle.core.images.kind import Kind
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.names import names_of
from ivory_thistle.core.treatment.narrowing import FIDELITIES
from ivory_thistle.core.treatment.roles import ROLES
from ivory_thistle.core.treatment.rules import Effort, FallbackFormat
from ivory_thistle.core.words import bytes_of, shown


class EntryError(Exception):
    """What is wrong with one entry."""


def _one_of(*words: str) -> Callable[[Any], str]:
    def take(value: Any) -> str:
        if value not in words or not isinstance(value, str):
            raise EntryError(f"{shown(value)} is none of {', '.join(words)}")
        return value

    return take


def _some_of(*numbers: int) -> Callable[[Any], int]:
    def take(value: Any) -> int:
        if value not in numbers or isinstance(value, bool):
            raise EntryError(f"{shown(value)} is none of {', '.join(map(str, numbers))}")
        return int(value)

    return take


def _whole(least: int, most: int) -> Callable[[Any], int]:
    def take(value: Any) -> int:
        if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
            raise EntryError(f"{shown(value)} is no whole number from {least:,} to {most:,}")
        return value

    return take


def _size(value: Any) -> int:
    if isinstance(value, int) and not isinstance(value, bool) and 0 < value < 10**12:
        return value
    size = bytes_of(value) if isinstance(value, str) else None
    if size is None:
        raise EntryError(f'{shown(value)} is no size; write 150_000, "150kB" or "1.5MB"')
    return size


def _share(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value < 1:
        raise EntryError(f"{shown(value)} is no share from 0 to 1")
    return float(value)


def switch(value: Any) -> bool:
    """True or false."""
    if not isinstance(value, bool):
        raise EntryError(f"{shown(value)} is neither true nor false")
    return value


def _fidelity(value: Any) -> Any:
    if isinstance(value, Mapping):
        unknown = next((role for role in value if role not in ROLES), None)
        if unknown is not None:
            raise EntryError(f"there is no role {shown(unknown)}; there are {', '.join(ROLES)}")
        scores = {role: _score(score) for role, score in value.items()}
        return {role: FIDELITIES.get(score, score) for role, score in scores.items()}
    return _score(value)


def _score(value: Any) -> Any:
    if isinstance(value, str) and value in FIDELITIES:
        return value
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= 100:
        return value
    raise EntryError(f"{shown(value)} is no score from 1 to 100 and none of {', '.join(FIDELITIES)}")


def _resized(value: Any) -> dict[str, Any]:
    if not isinstance(value, Mapping) or len(value) != 1:
        examples = '{longest = 2000}, {percent = 25} or {fill = "800x800"}'
        raise EntryError(f"{shown(value)} is no table like {examples}")
    ((mode, size),) = value.items()
    if mode in ("fit", "fill"):
        if not isinstance(size, str) or not re.fullmatch(r"[1-9]\d{0,4}x[1-9]\d{0,4}", size):
            raise EntryError(f'{shown(size)} is no box in pixels; write "1200x800"')
        return {mode: size}
    if mode == "percent":
        if isinstance(size, bool) or not isinstance(size, (int, float)) or not 0 < size <= 100:
            raise EntryError(f"{shown(size)} is no share from 0 to 100")
        return {mode: size}
    if mode not in ("longest", "width", "height"):
        raise EntryError(f"there is no size {shown(mode)}; there are longest, width, height, percent, fit, fill")
    return {mode: _whole(1, 20_000)(size)}


def _focus(value: Any) -> list[float]:
    if not isinstance(value, list) or len(value) != 2:
        raise EntryError(f"{shown(value)} is no list of two shares like [0.5, 0.3]")
    if any(isinstance(v, bool) or not isinstance(v, (int, float)) or not 0 <= v <= 1 for v in value):
        raise EntryError(f"{shown(value)} are no shares from 0 to 1")
    return [float(v) for v in value]


def _density(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 1 <= value <= 4:
        raise EntryError(f"{shown(value)} is no number from 1 to 4")
    return float(value)


def _names(value: Any) -> str:
    try:
        return names_of(value if isinstance(value, str) else "")
    except UnusableInput as error:
        raise EntryError(str(error).rstrip(".")) from error


def _quality(value: Any) -> dict[str, int]:
    if not isinstance(value, Mapping) or not value:
        raise EntryError(f"{shown(value)} is no table like {{webp = 80, avif = 56}}")
    unknown = next((tier for tier in value if tier not in TIERS), None)
    if unknown is not None:
        raise EntryError(f"there is no {shown(unknown)}; there are {', '.join(TIERS)}")
    take = _whole(1, 100)
    return {tier: take(quality) for tier, quality in value.items()}


def _formats(value: Any) -> list[str]:
    known = modern_tiers()
    if not isinstance(value, list) or any(not isinstance(v, str) or v not in known for v in value):
        raise EntryError(f"{shown(value)} is no list of {', '.join(known)}; the fallback is always made")
    return [tier for tier in known if tier in value]


def _widths(value: Any) -> list[int]:
    if not isinstance(value, list) or not 0 < len(value) <= 20:
        raise EntryError(f"{shown(value)} is no list of widths in pixels")
    take = _whole(1, 20_000)
    return sorted({take(width) for width in value})


def _pattern(value: Any) -> str:
    if not isinstance(value, str) or not value.strip() or len(value) > 2_000 or not is_text(value):
        raise EntryError(f"{shown(value)} is no path and no pattern of paths")
    return value


def _digest(value: Any) -> str:
    if not isinstance(value, str) or not re.fullmatch(r"[0-9a-f]{64}", value):
        raise EntryError(f"{shown(value)} is no SHA-256 in hexadecimal digits")
    return value


def _form(value: Any) -> HandoverForm:
    return HandoverForm(_one_of(*HandoverForm)(value))


CONDITIONS: Mapping[str, Callable[[Any], Any]] = {
    "role": _one_of(*ROLES), "kind": _one_of(*get_args(Kind)), "format": _one_of(*FORMATS), "path": _pattern,
    "page": _pattern, "content": _digest,
}  # fmt: skip
"""What says which images a rule is for."""
SETTINGS: Mapping[str, Callable[[Any], Any]] = {
    "fidelity": _fidelity, "cap": _size, "quality": _quality, "formats": _formats, "max_width": _whole(1, 20_000),
    "widths": _widths, "metadata": _one_of(*get_args(MetadataPolicy)), "keep_p3": switch, "sharpen": switch,
    "svg": switch, "svg_scripts": switch, "animations": switch, "leave_below": _size, "format_share": _share,
    "format_bytes": _size, "lossless": switch, "full_chroma": switch, "density": _density, "size": _resized,
    "focus": _focus, "picture_widths": _widths, "fallback": switch,
    "effort": _one_of(*get_args(Effort)), "bits": _some_of(0, 8, 10), "colours": _some_of(2, 4, 16, 256),
    "fallback_format": _one_of(*get_args(FallbackFormat)), "replacement_share": _share, "replacement_bytes": _size,
    "most_widths": _whole(1, 20), "dense_less": _whole(0, 100),
}  # fmt: skip
SITE_ENTRIES: Mapping[str, Callable[[Any], Any]] = {
    "form": _form, "names": _names, "background_widths": switch, "demand_check": switch,
}  # fmt: skip
