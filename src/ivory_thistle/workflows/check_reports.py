"""What a check found, as plain values and as JUnit XML."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Sequence
from dataclasses import asdict
from typing import Any
from xml.etree import ElementTree

from ivory_thistle.core.formats.tiers import Tier
from ivory_thistle.workflows.checked import Checked


def check_json(checked: Sequence[Checked]) -> dict[str, Any]:
    """Every load; sizes in bytes, `spot` in CSS px, times in milliseconds."""
    return {
        "passed": not any(c.wrong for c in checked),
        "pages": [
            {
                "page": c.page, "screen": c.screen, "tier": c.tier, "before": c.before, "after": c.after,
                "foretold": c.foretold, "wrong": [str(w) for w in c.wrong], "sure": c.sure,
                "score": None if c.score is None else round(c.score, 1),
                "spot": asdict(c.spot) if c.spot else None,
                "timed": {"before": asdict(c.timed.old), "after": asdict(c.timed.new)}
                if c.timed and c.timed.old and c.timed.new else None,
            }
            for c in checked
        ],
    }  # fmt: skip


def check_junit(checked: Sequence[Checked]) -> bytes:
    """A suite for each screen and tier, a case for each page."""
    suites: dict[tuple[str, Tier], list[Checked]] = defaultdict(list)
    for one in checked:
        suites[one.screen, one.tier].append(one)
    failed = sum(bool(c.wrong) for c in checked)
    root = ElementTree.Element("testsuites", tests=str(len(checked)), failures=str(failed))
    for (screen, tier), cases in suites.items():
        failures = str(sum(bool(c.wrong) for c in cases))
        suite = ElementTree.SubElement(
            root, "testsuite", name=f"{screen}, {tier}", tests=str(len(cases)), failures=failures
        )
        for c in cases:
            case = ElementTree.SubElement(suite, "testcase", classname=f"{screen}.{tier}", name=c.page)
            for wrong in c.wrong:
                ElementTree.SubElement(case, "failure", message=_printable(str(wrong)))
    return bytes(ElementTree.tostring(root, encoding="utf-8", xml_declaration=True))


def _printable(words: str) -> str:
    """Without the characters that XML can't hold."""
    return "".join(c if c.isprintable() else "\N{REPLACEMENT CHARACTER}" for c in words)
