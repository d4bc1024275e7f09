"""Weighs the first load of the built front end: gzip for text, fonts as they are. Limit: 250 kB."""

from __future__ import annotations

import gzip
import re
import sys
from pathlib import Path

LIMIT = 250_000


def weigh(dist: Path) -> int:
    """Bytes on the wire of the page, all that it names or its scripts import at once, and the fonts.

    Screens that are loaded when they are opened do not count.
    """
    page = dist / "index.html"
    named = re.findall(r'(?:src|href)="/([^"]+)"', page.read_text())
    texts = [page, *(dist / name for name in dict.fromkeys(named))]
    fonts = dist.rglob("*.woff2")
    return sum(len(gzip.compress(p.read_bytes(), 9)) for p in texts) + sum(p.stat().st_size for p in fonts)


if __name__ == "__main__":
    weight = weigh(Path(sys.argv[1]))
    print(f"First load: {weight / 1000:.0f} kB of {LIMIT / 1000:.0f} kB")
    sys.exit(weight > LIMIT)
