"""The rules of a site as sentences, in the order in which people read them."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Literal

from ivory_thistle.core.treatment.form import HandoverForm
from ivory_thistle.core.treatment.names import NAMES_PATTERN
from ivory_thistle.core.treatment.narrowing import FIDELITIES, setting_words
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.rules_toml import tables_of

Part = Literal["all", "roles", "site", "rule"]
_ALWAYS_SAID = ("formats", "density", "max_width", "metadata")
_PLURALS = {
    "hero": "heroes", "background": "backgrounds", "content": "content", "thumbnail": "thumbnails", "logo": "logos",
    "icon": "icons", "decoration": "decorations", "social card": "social cards",
}  # fmt: skip
_FORMS = {
    HandoverForm.MARKUP: "pages are rewritten to offer each browser its files",
    HandoverForm.SAME_ADDRESSES: "pages stay, and the server chooses by what a browser accepts",
    HandoverForm.FILES_ONLY: "the new files alone, with suggested markup",
    HandoverForm.IN_PLACE: "pages and names stay, each file becomes smaller in its own format",
}


@dataclass(frozen=True, slots=True)
class Sentence:
    """One sentence: which part of the rules it tells (of "rule", the `number`), what it is about, and what holds."""

    part: Part
    said: str
    asks: str
    number: int = 0


def sentences(rules: Rules, alone: bool = False) -> tuple[Sentence, ...]:
    """What holds for all images, how each role must look, how all of it leaves, and the rules for some images.

    `alone`: there are no pages, so that nothing is said of these.
    """
    found = [Sentence("all", "all pictures" if alone else "all images", _for_all(rules, alone))]
    if not rules.fixed and not rules.cap:
        found.append(Sentence("roles", "the look", _looks(rules)))
    leaving = f"files called {rules.names}, in the folders of their originals" if alone else _leaving(rules)
    found.append(Sentence("site", "what leaves", leaving))
    found += [Sentence("rule", rule.said, rule.asks, n) for n, rule in enumerate(rules.narrower)]
    return tuple(found)


def _for_all(rules: Rules, alone: bool) -> str:
    stated = tables_of(rules)["all"]
    plain = {
        "formats": list(rules.formats), "density": rules.density, "max_width": rules.max_width,
        "metadata": rules.metadata,
    }  # fmt: skip
    others = {name: value for name, value in stated.items() if name not in plain and name != "fidelity"}
    looks = [setting_words(name, others.pop(name)) for name in ("cap", "quality") if name in others]
    words = [setting_words(name, plain[name]) for name in _ALWAYS_SAID if not (alone and name == "density")]
    return ", ".join([words[0], *looks, *words[1:], *(setting_words(n, v) for n, v in others.items())])


def _looks(rules: Rules) -> str:
    """Roles by the score that they keep, the highest first."""
    by_score: dict[int, list[str]] = defaultdict(list)
    for role, score in rules.fidelity.items():
        by_score[score].append(_PLURALS[role])
    by_score[rules.lettering].append("drawings")
    return "; ".join(f"{_joined(by_score[score])} {named(score)}" for score in sorted(by_score, reverse=True))


def named(score: int) -> str:
    """A score by the name of its fidelity, where it has one."""
    return next((f"{name} ({value})" for name, value in FIDELITIES.items() if value == score), f"at {score}")


def _leaving(rules: Rules) -> str:
    words = [_FORMS[rules.form]]
    if rules.names != NAMES_PATTERN:
        words.append(f"files called {rules.names}")
    if rules.background_widths:
        words.append("backgrounds narrower on narrow screens")
    words.append("nothing before a check has passed" if rules.demand_check else "checked when you ask")
    return ", ".join(words)


def _joined(words: Iterable[str]) -> str:
    *most, last = words
    return f"{', '.join(most)} and {last}" if most else last
