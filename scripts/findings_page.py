"""Writes docs/findings.md from the catalogue, so that the two never differ."""

from __future__ import annotations

from pathlib import Path

from ivory_thistle.core.findings.catalogue import CATALOGUE

EASE = {1: "By treating the images", 2: "In the markup", 3: "By hand or by thought"}


def page() -> str:
    """The page's text."""
    parts = [
        "# Findings\n",
        "Every code that the audit knows: when it is found, and what would mend it. Bytes at stake are measured where"
        " they can be (metadata, files over a cap, pages over budget); what another encoding would save is estimated by"
        " shares of common practice, and says so. `./scripts/findings_page.py` writes this page from"
        " `core/findings/catalogue.py`.\n",
    ]
    for ease, title in EASE.items():
        parts.append(f"## {title}\n\n| code | finding | found where | mend |\n|---|---|---|---|")
        parts += [
            f"| `{code}` | {s.title} | {s.threshold} | {s.mend} |" for code, s in CATALOGUE.items() if s.ease == ease
        ]
        parts.append("")
    return "\n".join(parts)


if __name__ == "__main__":
    Path(__file__).parent.parent.joinpath("docs", "findings.md").write_text(page(), encoding="utf-8")
