"""What the pages of docs/ say of the code holds."""

from __future__ import annotations

import re
from pathlib import Path

ROOT = Path(__file__).parent.parent.parent


def test_every_defence_names_a_test_that_is_there() -> None:
    """docs/security.md: each row of its tables, and no defence without one."""
    text = (ROOT / "docs" / "security.md").read_text()
    rows = [line for line in text.splitlines() if line.startswith("|") and not re.match(r"\|(-|\s*Against)", line)]
    assert len(rows) > 20
    for row in rows:
        named = re.search(r"`(\w+/test_\w+\.py)::(test_\w+)` \|$", row)
        assert named, row
        assert f"def {named[2]}(" in (ROOT / "tests" / named[1]).read_text(), row


def test_the_files_of_common_changes_are_there() -> None:
    """ARCHITECTURE.md names for six common changes which files they touch: each exists."""
    text = (ROOT / "ARCHITECTURE.md").read_text()
    part = text.partition("## Six common changes")[2].partition("\n## ")[0]
    assert len(re.findall(r"^- \*\*", part, re.MULTILINE)) == 6
    named = re.findall(r"`([\w./-]+\.(?:py|tsx?|json))`", part)
    assert len(named) > 25
    assert [path for path in named if not (ROOT / path).exists()] == []
