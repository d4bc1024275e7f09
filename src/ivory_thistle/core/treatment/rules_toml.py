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
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

import tomli_w

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.handed_in import read_toml
from ivory_thistle.core.images.resize import Resize
from ivory_thistle.core.treatment.narrowing import FIDELITIES, PLAIN_SETTINGS, Rule, fields_of, size_written
from ivory_thistle.core.treatment.rule_values import CONDITIONS, SETTINGS, SITE_ENTRIES, EntryError, switch
from ivory_thistle.core.treatment.rules import BY_ROLE, Rules
from ivory_thistle.core.words import shown

MOST_RULES = 1_000
"""Rules of one site: each is held against every image."""
_SITE = ("form", "names", "background_widths", "demand_check")


def read_rules(text: str) -> Rules:
    """The rules of a TOML text. Raises UnusableInput with line and reason; nothing is taken over by half."""
    return rules_of_tables(read_toml(text), Lines(text))


def rules_of_tables(values: Mapping[str, Any], lines: Lines | None = None) -> Rules:
    """The rules of what a TOML text (whose `lines` they are) or JSON of the same shape holds. Raises UnusableInput."""
    lines = lines or Lines("")
    for name in values:
        if name not in ("all", "site", "rule"):
            raise UnusableInput(lines.says("", 0, name, f"there is no {shown(name)}; there are all, site and rule"))
    base = Rules()
    for name in ("all", "site"):
        if not isinstance(values.get(name, {}), Mapping):
            raise UnusableInput(lines.says("", 0, name, "it must be a table"))
    site = {name: _taken(lines, "site", 0, name, value, SITE_ENTRIES) for name, value in values.get("site", {}).items()}
    settings = _settings(lines, "all", 0, values.get("all", {}), SETTINGS)
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
    settings = _settings(lines, "rule", number, given, {**SETTINGS, "leave": switch})
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
        raise UnusableInput(lines.says(table, number, name, f"there is no {shown(name)}; there are {', '.join(known)}"))
    try:
        return known[name](value)
    except EntryError as error:
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
        return f"{where}{'.'.join(part for part in (which, shown(name)[1:-1]) if part)}: {wrong}."
