"""Rules for some of a site's images: which ones, what they ask for, and which rule decides where several fit."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict, dataclass, field, replace
from typing import Any, Literal, get_args

from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.resize import Mode, Resize
from ivory_thistle.core.treatment.roles import ROLES, matches
from ivory_thistle.core.words import kb

Fidelity = Literal["exacting", "faithful", "everyday", "lean"]
FIDELITIES: Mapping[Fidelity, int] = {"exacting": 85, "faithful": 75, "everyday": 65, "lean": 50}
"""SSIMULACRA 2 scores: 90 is as good as the original to the eye, 70 high, 50 medium."""

_LOOKS = ("fidelity", "cap", "quality")
"""Settings that say how a file looks: the most specific of them replaces the others."""
PLAIN_SETTINGS = {
    "formats": "formats", "max_width": "max_width", "widths": "widths", "metadata": "metadata", "keep_p3": "keep_p3",
    "sharpen": "sharpen", "svg": "svg", "svg_scripts": "svg_scripts", "animations": "animations",
    "leave_below": "leave_below_bytes", "format_share": "tier_share", "format_bytes": "tier_bytes",
    "lossless": "lossless", "full_chroma": "full_chroma", "density": "density", "size": "size", "focus": "focus",
    "picture_widths": "picture_widths", "fallback": "fallback", "effort": "effort", "bits": "bits",
    "colours": "colours", "fallback_format": "fallback_format", "replacement_share": "worth_share",
    "replacement_bytes": "worth_bytes", "most_widths": "most_rungs", "dense_less": "dense_less",
}  # fmt: skip
"""Settings that are fields of `Rules` as they stand, by their names."""
_METADATA_WORDS = {"none": "no metadata", "copyright": "copyright kept", "keep": "metadata kept"}
_FALLBACK_WORDS = {
    "suited": "fallbacks as suit the picture", "original": "fallbacks in the original's format",
    "jpeg": "JPEG fallbacks", "png": "PNG fallbacks",
}  # fmt: skip
_KIND_WORDS = {
    "photograph": "photographs", "graphic": "graphics", "lettering": "lettering", "line art": "line art",
    "animation": "animations", "vector": "vector drawings",
}  # fmt: skip
_SWITCHES = {
    "keep_p3": ("Display P3 kept", "Display P3 converted"),
    "sharpen": ("sharpened a little", "not sharpened"),
    "svg": ("drawings made smaller", "drawings as they are"),
    "svg_scripts": ("scripts taken out of drawings", "scripts left in drawings"),
    "animations": ("animations converted", "animations as they are"),
    "lossless": ("without loss where a format can", "with loss where that is smaller"),
    "full_chroma": ("colours at full resolution", "colours halved where nobody sees it"),
    "fallback": ("with a fallback", "modern formats alone where no page shows them"),
}


@dataclass(frozen=True, slots=True)
class Rule:
    """What is asked for some images. Empty conditions hold for all; `path` and `page` may be patterns with `*`.

    `content` is the SHA-256 of the image that stood at the path when it was decided: wherever that is now, it fits.

    `settings` are by name as in the TOML (`rules_toml`), sizes in bytes; with "leave", the images stay as they are.
    """

    role: str = ""
    kind: str = ""
    format: str = ""
    path: str = ""
    page: str = ""
    content: str = ""
    settings: Mapping[str, Any] = field(default_factory=dict)

    def fits(
        self, paths: Collection[str], pages: Collection[str], role: str, kind: str, format_: str, content: str = ""
    ) -> bool:
        """Whether it holds for an image with these paths, on these pages."""
        if self.content and self.content == content:
            return True
        return (
            self.role in ("", role)
            and self.kind in ("", kind)
            and self.format in ("", format_)
            and (not self.path or any(matches(self.path, path) for path in paths))
            and (not self.page or any(matches(self.page, page) for page in pages))
        )

    @property
    def is_override(self) -> bool:
        """Whether it is a decision for one image by its path."""
        single = bool(self.path) and "*" not in self.path and "?" not in self.path
        return single and not any((self.role, self.kind, self.format, self.page))

    @property
    def weight(self) -> tuple[bool, int, bool, int]:
        """The more specific, the larger: one path, then longer patterns, then pages, then the number of conditions."""
        exact = bool(self.path) and "*" not in self.path and "?" not in self.path
        others = sum(map(bool, (self.role, self.kind, self.format)))
        return exact, len(self.path), bool(self.page), others

    @property
    def said(self) -> str:
        """Which images it is for, in words."""
        what = f"{self.role} {_KIND_WORDS.get(self.kind, 'images')}".strip()
        label = FORMATS[self.format].label if self.format in FORMATS else self.format
        parts = [f"{label} {what}" if self.format else what]
        parts += [f"at {self.path}"] if self.path else []
        parts += [f"on {self.page}"] if self.page else []
        return " ".join(parts)

    @property
    def asks(self) -> str:
        """What it asks for, in words."""
        return ", ".join(setting_words(name, value) for name, value in self.settings.items())

    @property
    def opening(self) -> str:
        """How the sentences begin that tell what it decided."""
        return f"By the rule for {self.said}: "

    def as_dict(self) -> dict[str, Any]:
        """Plain values, for JSON."""
        return asdict(self)


class RuleIndex:
    """Many rules, asked image by image: those that can't fit are passed by without a look.

    Rules for one path or content are found by it; those for a pattern by the folders that stand before its first
    wildcard.
    """

    def __init__(self, rules: Sequence[Rule]) -> None:
        self._by_key: dict[str, list[int]] = defaultdict(list)
        self._rules = rules
        for n, rule in enumerate(rules):
            for key in _keys(rule):
                self._by_key[key].append(n)

    def fitting(
        self, paths: Collection[str], pages: Collection[str], role: str, kind: str, format_: str, content: str
    ) -> list[Rule]:
        """The rules that fit, in their order."""
        if not self._rules:
            return []
        keys = {"", content, *paths, *(folder for path in paths for folder in _folders(path))}
        found = sorted({n for key in keys for n in self._by_key.get(key, ())})
        return [self._rules[n] for n in found if self._rules[n].fits(paths, pages, role, kind, format_, content)]


def _keys(rule: Rule) -> tuple[str, ...]:
    """Under which a rule is looked for: its content, its path, or the folder that its pattern begins with."""
    literal = re.split(r"[*?]", rule.path, maxsplit=1)[0]
    path = rule.path if literal == rule.path else literal[: literal.rfind("/") + 1]
    return (path, rule.content) if rule.content else (path,)


def _folders(path: str) -> list[str]:
    """All folders that a path lies in, each with its last slash."""
    return [path[: n + 1] for n, letter in enumerate(path) if letter == "/"]


def setting_words(name: str, value: Any) -> str:
    """One setting in words."""
    if name == "leave":
        return "left as they are" if value else "treated"
    if name == "fidelity":
        return f"fidelity {value}"
    if name == "cap":
        return f"at most {kb(value)} a file"
    if name == "quality":
        return " and ".join(f"{FORMATS[TIERS[tier].format].label} at quality {q}" for tier, q in value.items())
    if name == "formats":
        labels = [FORMATS[TIERS[tier].format].label for tier in value]
        return " and ".join(labels) + " with a fallback" if labels else "a fallback alone"
    if name == "max_width":
        return f"no wider than {value:,} px"
    if name == "widths":
        return f"{', '.join(f'{w:,}' for w in value)} px wide where nothing was measured"
    if name == "metadata":
        return _METADATA_WORDS[value]
    if name == "fallback_format":
        return _FALLBACK_WORDS[value]
    if name == "most_widths":
        return f"{value} widths at most"
    if name == "dense_less":
        return f"{value} points less where only dense screens load it"
    if name == "replacement_share":
        return f"replaced from {100 * value:.0f} % less on"
    if name == "replacement_bytes":
        return f"replaced from {kb(value)} less on"
    if name == "picture_widths":
        return f"{', '.join(f'{w:,}' for w in value)} px wide each, where no page shows them"
    if name == "effort":
        return f"encoded {'quickly, in more bytes' if value == 'quick' else 'thoroughly'}"
    if name == "bits":
        return f"AVIF of {value} bits" if value else "bits as the look asks"
    if name == "colours":
        return f"at most {value} colours in a palette"
    if name == "density":
        return f"at most {value:g} pixels a CSS pixel"
    if name == "size":
        return f"{_size_words(value)}, where no page shows them"
    if name == "focus":
        return f"cut around {100 * value[0]:.0f} % from the left and {100 * value[1]:.0f} % from the top"
    if name == "leave_below":
        return f"left alone under {kb(value)}"
    if name == "format_share":
        return f"a format must save {100 * value:.0f} %"
    if name == "format_bytes":
        return f"a format must save {kb(value)} a file"
    return _SWITCHES[name][0 if value else 1]


def size_of(value: Mapping[str, Any]) -> Resize:
    """A new size from how the TOML says it, like {longest = 2000} or {fill = "800x800"}."""
    ((name, size),) = value.items()
    mode = next(m for m in get_args(Mode) if m == name)
    if mode in ("fit", "fill"):
        width, _, height = size.partition("x")
        return Resize(mode, int(width), int(height))
    if mode == "height":
        return Resize(mode, 0, size)
    return Resize(mode, size)


def size_written(size: Resize) -> dict[str, Any]:
    """A new size as the TOML says it."""
    if size.mode in ("fit", "fill"):
        return {size.mode: f"{size.width:.0f}x{size.height}"}
    return {size.mode: size.height if size.mode == "height" else size.width}


def _size_words(value: Mapping[str, Any]) -> str:
    """A new size in words; it is as the TOML has it."""
    ((mode, size),) = value.items()
    if mode == "percent":
        return f"{size:g} % of width and height"
    if mode in ("fit", "fill"):
        return f"{'within' if mode == 'fit' else 'cut to fill'} {size.replace('x', ' × ')} px"
    return f"{size:,} px {'on the longer side' if mode == 'longest' else 'wide' if mode == 'width' else 'high'}"


def fields_of(settings: Mapping[str, Any]) -> dict[str, Any]:
    """The fields of `Rules` that settings come to; "leave" is none of them."""
    found = {PLAIN_SETTINGS[name]: value for name, value in settings.items() if name in PLAIN_SETTINGS}
    for name in ("formats", "widths", "picture_widths", "focus"):
        if name in found:
            found[name] = tuple(found[name])
    if "size" in settings:
        found["size"] = size_of(settings["size"])
    if "fidelity" in settings:
        score = FIDELITIES.get(settings["fidelity"], settings["fidelity"])
        found |= {"fidelity": dict.fromkeys(ROLES, score), "lettering": score, "cap": 0, "fixed": False}
    if "cap" in settings:
        found |= {"cap": settings["cap"], "fixed": False}
    if "quality" in settings:
        found |= {"qualities": dict(settings["quality"]), "fixed": True, "cap": 0}
    return found


def decided(rules: Iterable[Rule]) -> tuple[dict[str, Any], dict[str, Rule]]:
    """The settings of rules that all fit, and which rule each is from: the most specific, and of equals the last."""
    settings: dict[str, Any] = {}
    by: dict[str, Rule] = {}
    # The sort is stable: of equally specific rules, the later ones come later.
    for rule in sorted(rules, key=lambda r: r.weight):
        if not rule.settings.keys().isdisjoint(_LOOKS):
            for name in _LOOKS:
                settings.pop(name, None)
                by.pop(name, None)
        settings |= rule.settings
        by |= dict.fromkeys(rule.settings, rule)
    return settings, by


def overruled(
    rules: Sequence[Rule], contents: Mapping[str, str], settings: Mapping[str, Any] | None
) -> tuple[Rule, ...]:
    """The rules with single images overruled, by their paths, each with its SHA-256; None takes back what was said.

    What an image was overruled in before stays, where the new settings say nothing else.
    """
    own = {content: path for path, content in contents.items() if content}

    def path_of(rule: Rule) -> str:
        """Where the rule's image is now, when it is one of these."""
        return (rule.path if rule.path in contents else own.get(rule.content, "")) if rule.is_override else ""

    before = {path_of(rule): rule.settings for rule in rules if path_of(rule)}
    others = tuple(rule for rule in rules if not path_of(rule))
    if settings is None:
        return others
    new_look = not set(_LOOKS).isdisjoint(settings)
    changed = []
    for path in sorted(contents):
        stays = {name: v for name, v in before.get(path, {}).items() if not (new_look and name in _LOOKS)}
        changed.append(Rule(path=path, content=contents[path], settings={**stays, **settings}))
    return (*others, *changed)


def without_look(rules: Sequence[Rule], path: str, content: str) -> tuple[Rule, ...]:
    """The rules with what an image was overruled to look like taken back; all else that was decided for it stays."""
    found = []
    for rule in rules:
        if rule.is_override and (rule.path == path or (rule.content and rule.content == content)):
            rule = replace(rule, settings={name: v for name, v in rule.settings.items() if name not in _LOOKS})
            if not rule.settings:
                continue
        found.append(rule)
    return tuple(found)


def reasons(by: Mapping[str, Rule]) -> tuple[str, ...]:
    """For each rule that decided anything, a sentence."""
    groups: dict[int, tuple[Rule, dict[str, Any]]] = {}
    for name, rule in by.items():
        groups.setdefault(id(rule), (rule, {}))[1][name] = rule.settings[name]
    said: Sequence[tuple[Rule, dict[str, Any]]] = list(groups.values())
    return tuple(
        f"{rule.opening}{', '.join(setting_words(n, v) for n, v in settings.items())}." for rule, settings in said
    )
