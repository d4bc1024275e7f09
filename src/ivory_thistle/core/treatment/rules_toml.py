"""Rules as TOML, as people write and keep them (docs/rules.md), and what is wrong with a text in one line.

[all]                    # every image, unless a rule says otherwise
fidelity = "faithful"    # or a score from 1 to 100; without any, by role
metadata = "copyright"

[[rule]]                 # of several that fit, the most specific decides
role = "content"
kind = "photograph"
formats = ["avif"]
cap = "150kB"

[[rule]]
path = "press/*"
leave = true
"""

from __future__ import annotations

import re
import tomllib
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any, get_args

import tomli_w

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import TIERS, modern_tiers
from ivory_thistle.core.images.kind import Kind
from ivory_thistle.core.images.metadata import MetadataPolicy
from ivory_thistle.core.images.resize import Resize
from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.names import names_of
from ivory_thistle.core.treatment.narrowing import FIDELITIES, PLAIN_SETTINGS, Rule, fields_of, size_written
from ivory_thistle.core.treatment.roles import ROLES
from ivory_thistle.core.treatment.rules import BY_ROLE, Rules
from ivory_thistle.core.words import bytes_of

MOST_BYTES = 200_000
MOST_RULES = 1_000
"""Rules of one site: each is held against every image."""
_SITE = ("form", "names", "background_widths", "demand_check")


class _WrongError(Exception):
    """What is wrong with one entry."""


def read_rules(text: str) -> Rules:
    """The rules of a TOML text. Raises UnusableInput with line and reason; nothing is taken over by half."""
    if len(text) > MOST_BYTES:
        raise UnusableInput(f"Rules may have {MOST_BYTES // 1000} kB.")
    try:
        values = tomllib.loads(text)
    except (tomllib.TOMLDecodeError, RecursionError) as error:
        raise UnusableInput(f"This is no TOML: {error}.") from error
    return rules_of_tables(values, Lines(text))


def rules_of_tables(values: Mapping[str, Any], lines: Lines | None = None) -> Rules:
    """The rules of what a TOML text (whose `lines` they are) or JSON of the same shape holds. Raises UnusableInput."""
    lines = lines or Lines("")
    for name in values:
        if name not in ("all", "site", "rule"):
            raise UnusableInput(lines.says("", 0, name, f"there is no {name!r}; there are all, site and rule"))
    base = Rules()
    for name in ("all", "site"):
        if not isinstance(values.get(name, {}), Mapping):
            raise UnusableInput(lines.says("", 0, name, "it must be a table"))
    site = {
        name: _taken(lines, "site", 0, name, value, _SITE_ENTRIES) for name, value in values.get("site", {}).items()
    }
    settings = _settings(lines, "all", 0, values.get("all", {}), _SETTINGS)
    tables = values.get("rule", [])
    if not isinstance(tables, list) or len(tables) > MOST_RULES or not all(isinstance(t, Mapping) for t in tables):
        raise UnusableInput(f"Rules are tables under [[rule]], {MOST_RULES:,} at most.")
    narrower = tuple(_rule(lines, n, table) for n, table in enumerate(tables))
    by_role = settings.pop("fidelity") if isinstance(settings.get("fidelity"), dict) else {}
    rules = replace(base, **fields_of(settings), **site, narrower=narrower)
    return replace(rules, fidelity={**BY_ROLE, **by_role}) if by_role else rules


def write_rules(rules: Rules) -> str:
    """The rules as TOML: what is not as by default."""
    tables = tables_of(rules)
    parts = [(f"[{name}]", tables[name]) for name in ("site", "all") if tables[name]]
    parts += [("[[rule]]", table) for table in tables["rule"]]
    return "\n".join(_table(head, entries) for head, entries in parts)


def tables_of(rules: Rules) -> dict[str, Any]:
    """The rules in the shape of the TOML, as plain values: "site", "all", and a list of "rule"."""
    plain = Rules()
    every: dict[str, Any] = {}
    if rules.fixed:
        every["quality"] = {tier: rules.quality_for(tier) for tier in TIERS}
    elif rules.cap:
        every["cap"] = rules.cap
    elif len(set(rules.fidelity.values())) == 1 and rules.lettering == next(iter(rules.fidelity.values())):
        every["fidelity"] = _named(rules.lettering)
    elif rules.fidelity != plain.fidelity:
        every["fidelity"] = {role: _named(score) for role, score in rules.fidelity.items()}
    for name, field in PLAIN_SETTINGS.items():
        value = getattr(rules, field)
        if value != getattr(plain, field):
            every[name] = size_written(value) if isinstance(value, Resize) else _plain(value)
    site = {name: getattr(rules, name) for name in _SITE if getattr(rules, name) != getattr(plain, name)}
    tables = [
        {
            **{name: getattr(rule, name) for name in CONDITIONS if getattr(rule, name)},
            **{name: _plain(value) for name, value in rule.settings.items()},
        }
        for rule in rules.narrower
    ]  # fmt: skip
    return {"site": site, "all": every, "rule": tables}


def _plain(value: Any) -> Any:
    return list(value) if isinstance(value, tuple) else value


def _table(head: str, entries: Mapping[str, Any]) -> str:
    """A table with an entry a line: what people edit, and what is told by its line."""
    return "\n".join([head, *(_entry(name, value) for name, value in entries.items())]) + "\n"


def _entry(name: str, value: Any) -> str:
    plain = tomli_w.dumps({name: 0}).strip().removesuffix("0")
    return f"{plain}{_value(value)}"


def _value(value: Any) -> str:
    if isinstance(value, Mapping):
        return f"{{ {', '.join(_entry(name, one) for name, one in value.items())} }}"
    if isinstance(value, list):
        return f"[{', '.join(map(_value, value))}]"
    return tomli_w.dumps({"x": value}).strip().removeprefix("x = ")


def _named(score: int) -> str | int:
    return next((name for name, value in FIDELITIES.items() if value == score), score)


def _rule(lines: Lines, number: int, table: Mapping[str, Any]) -> Rule:
    given = dict(table)
    folder = given.pop("folder", None)
    if folder is not None:
        if not isinstance(folder, str) or not folder.strip("/") or "path" in given:
            raise UnusableInput(lines.says("rule", number, "folder", "it is a folder's path, in place of path"))
        given["path"] = f"{folder.strip('/')}/*"
    conditions = {
        name: _taken(lines, "rule", number, name, given.pop(name), CONDITIONS) for name in CONDITIONS if name in given
    }
    if not conditions.keys() - {"content"}:
        raise UnusableInput(lines.says("rule", number, "", f"it needs one of {', '.join(CONDITIONS)} and folder"))
    settings = _settings(lines, "rule", number, given, {**_SETTINGS, "leave": _switch})
    if not settings:
        raise UnusableInput(lines.says("rule", number, "", "it asks for nothing"))
    if isinstance(settings.get("fidelity"), dict):
        raise UnusableInput(lines.says("rule", number, "fidelity", "fidelities by role go into [all]"))
    return Rule(**conditions, settings=settings)


def _settings(
    lines: Lines, table: str, number: int, given: Mapping[str, Any], known: Mapping[str, Callable[[Any], Any]]
) -> dict[str, Any]:
    found = {name: _taken(lines, table, number, name, value, known) for name, value in given.items()}
    looks = [name for name in ("fidelity", "cap", "quality") if name in found]
    if len(looks) > 1:
        raise UnusableInput(lines.says(table, number, looks[1], f"give one of {', '.join(looks)}"))
    return found


def _taken(
    lines: Lines, table: str, number: int, name: str, value: Any, known: Mapping[str, Callable[[Any], Any]]
) -> Any:
    if name not in known:
        raise UnusableInput(lines.says(table, number, name, f"there is no {name!r}; there are {', '.join(known)}"))
    try:
        return known[name](value)
    except _WrongError as error:
        raise UnusableInput(lines.says(table, number, name, str(error))) from error


class Lines:
    """Where entries stand in the text: TOML's own readers tell no lines of what they have read."""

    def __init__(self, text: str) -> None:
        self._at: dict[tuple[str, int, str], int] = {}
        table, number, counts = "", 0, {"rule": -1}
        for line, content in enumerate(text.splitlines(), 1):
            head = re.match(r"\s*\[+\s*([\w-]+)", content)
            entry = re.match(r"\s*[\"']?([\w-]+)[\"']?\s*[=.]", content)
            if head:
                table = head.group(1)
                if table in counts:
                    counts[table] += 1
                number = counts.get(table, 0)
                self._at.setdefault((table, number, ""), line)
            elif entry:
                self._at.setdefault((table, number, entry.group(1)), line)

    def says(self, table: str, number: int, name: str, wrong: str) -> str:
        """What is wrong with an entry of a table, in one line."""
        line = self._at.get((table, number, name)) or self._at.get((name, 0, "")) or self._at.get((table, number, ""))
        where = f"Line {line}, " if line else ""
        which = f"rule {number + 1}" if table == "rule" else table
        return f"{where}{'.'.join(part for part in (which, name) if part)}: {wrong}."


def _one_of(*words: str) -> Callable[[Any], str]:
    def take(value: Any) -> str:
        if value not in words or not isinstance(value, str):
            raise _WrongError(f"{value!r} is none of {', '.join(words)}")
        return value

    return take


def _some_of(*numbers: int) -> Callable[[Any], int]:
    def take(value: Any) -> int:
        if value not in numbers or isinstance(value, bool):
            raise _WrongError(f"{value!r} is none of {', '.join(map(str, numbers))}")
        return int(value)

    return take


def _whole(least: int, most: int) -> Callable[[Any], int]:
    def take(value: Any) -> int:
        if not isinstance(value, int) or isinstance(value, bool) or not least <= value <= most:
            raise _WrongError(f"{value!r} is no whole number from {least:,} to {most:,}")
        return value

    return take


def _size(value: Any) -> int:
    if isinstance(value, int) and not isinstance(value, bool) and 0 < value < 10**12:
        return value
    size = bytes_of(value) if isinstance(value, str) else None
    if size is None:
        raise _WrongError(f'{value!r} is no size; write 150_000, "150kB" or "1.5MB"')
    return size


def _share(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 0 <= value < 1:
        raise _WrongError(f"{value!r} is no share from 0 to 1")
    return float(value)


def _switch(value: Any) -> bool:
    if not isinstance(value, bool):
        raise _WrongError(f"{value!r} is neither true nor false")
    return value


def _fidelity(value: Any) -> Any:
    if isinstance(value, Mapping):
        unknown = next((role for role in value if role not in ROLES), None)
        if unknown is not None:
            raise _WrongError(f"there is no role {unknown!r}; there are {', '.join(ROLES)}")
        one = {role: _fidelity(score) for role, score in value.items() if not isinstance(score, Mapping)}
        return {role: FIDELITIES.get(score, score) for role, score in one.items()}
    if isinstance(value, str) and value in FIDELITIES:
        return value
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= 100:
        return value
    raise _WrongError(f"{value!r} is no score from 1 to 100 and none of {', '.join(FIDELITIES)}")


def _resized(value: Any) -> dict[str, Any]:
    if not isinstance(value, Mapping) or len(value) != 1:
        raise _WrongError(f'{value!r} is no table like {{longest = 2000}}, {{percent = 25}} or {{fill = "800x800"}}')
    ((mode, size),) = value.items()
    if mode in ("fit", "fill"):
        if not isinstance(size, str) or not re.fullmatch(r"[1-9]\d{0,4}x[1-9]\d{0,4}", size):
            raise _WrongError(f'{size!r} is no box in pixels; write "1200x800"')
        return {mode: size}
    if mode == "percent":
        if isinstance(size, bool) or not isinstance(size, (int, float)) or not 0 < size <= 100:
            raise _WrongError(f"{size!r} is no share from 0 to 100")
        return {mode: size}
    if mode not in ("longest", "width", "height"):
        raise _WrongError(f"there is no size {mode!r}; there are longest, width, height, percent, fit, fill")
    return {mode: _whole(1, 20_000)(size)}


def _focus(value: Any) -> list[float]:
    if not isinstance(value, list) or len(value) != 2:
        raise _WrongError(f"{value!r} is no list of two shares like [0.5, 0.3]")
    if any(isinstance(v, bool) or not isinstance(v, (int, float)) or not 0 <= v <= 1 for v in value):
        raise _WrongError(f"{value!r} are no shares from 0 to 1")
    return [float(v) for v in value]


def _density(value: Any) -> float:
    if isinstance(value, bool) or not isinstance(value, (int, float)) or not 1 <= value <= 4:
        raise _WrongError(f"{value!r} is no number from 1 to 4")
    return float(value)


def _names(value: Any) -> str:
    try:
        return names_of(value if isinstance(value, str) else "")
    except UnusableInput as error:
        raise _WrongError(str(error).rstrip(".")) from error


def _quality(value: Any) -> dict[str, int]:
    if not isinstance(value, Mapping) or not value:
        raise _WrongError(f"{value!r} is no table like {{webp = 80, avif = 56}}")
    unknown = next((tier for tier in value if tier not in TIERS), None)
    if unknown is not None:
        raise _WrongError(f"there is no {unknown!r}; there are {', '.join(TIERS)}")
    take = _whole(1, 100)
    return {tier: take(quality) for tier, quality in value.items()}


def _formats(value: Any) -> list[str]:
    known = modern_tiers()
    if not isinstance(value, list) or any(not isinstance(v, str) or v not in known for v in value):
        raise _WrongError(f"{value!r} is no list of {', '.join(known)}; the fallback is always made")
    return [tier for tier in known if tier in value]


def _widths(value: Any) -> list[int]:
    if not isinstance(value, list) or not 0 < len(value) <= 20:
        raise _WrongError(f"{value!r} is no list of widths in pixels")
    take = _whole(1, 20_000)
    return sorted({take(width) for width in value})


def _pattern(value: Any) -> str:
    if not isinstance(value, str) or not value.strip() or len(value) > 2_000:
        raise _WrongError(f"{value!r} is no path and no pattern of paths")
    return value


def _digest(value: Any) -> str:
    if not isinstance(value, str) or not re.fullmatch(r"[0-9a-f]{64}", value):
        raise _WrongError(f"{value!r} is no SHA-256 in hexadecimal digits")
    return value


def _form(value: Any) -> HandoverForm:
    return HandoverForm(_one_of(*HandoverForm)(value))


CONDITIONS: Mapping[str, Callable[[Any], Any]] = {
    "role": _one_of(*ROLES), "kind": _one_of(*get_args(Kind)), "format": _one_of(*FORMATS), "path": _pattern,
    "page": _pattern, "content": _digest,
}  # fmt: skip
"""What says which images a rule is for."""
_SETTINGS: Mapping[str, Callable[[Any], Any]] = {
    "fidelity": _fidelity, "cap": _size, "quality": _quality, "formats": _formats, "max_width": _whole(1, 20_000),
    "widths": _widths, "metadata": _one_of(*get_args(MetadataPolicy)), "keep_p3": _switch, "sharpen": _switch,
    "svg": _switch, "svg_scripts": _switch, "animations": _switch, "leave_below": _size, "format_share": _share,
    "format_bytes": _size, "lossless": _switch, "full_chroma": _switch, "density": _density, "size": _resized,
    "focus": _focus, "picture_widths": _widths, "fallback": _switch,
    "effort": _one_of("thorough", "quick"), "bits": _some_of(0, 8, 10), "colours": _some_of(2, 4, 16, 256),
}  # fmt: skip
_SITE_ENTRIES: Mapping[str, Callable[[Any], Any]] = {
    "form": _form, "names": _names, "background_widths": _switch, "demand_check": _switch,
}  # fmt: skip
