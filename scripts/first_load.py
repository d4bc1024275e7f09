"""Weighs the first load of the built front end: gzip for text, fonts as they are. Limit: 250 kB."""

from __future__ import annotations

import gzip
import sys
from pathlib import Path

LIMIT = 250_000


def weigh(dist: Path) -> int:
    """Bytes on the wire: the page, its scripts and style sheets, and one format of each font."""
    texts = [p for p in dist.rglob("*") if p.suffix in (".html", ".js", ".css", ".svg")]
    fonts = dist.rglob("*.woff2")
    return sum(len(gzip.compress(p.read_bytes(), 9)) for p in texts) + sum(p.stat().st_size for p in fonts)


if __name__ == "__main__":
    weight = weigh(Path(sys.argv[1]))
    print(f"First load: {weight / 1000:.0f} kB of {LIMIT / 1000:.0f} kB")
    sys.exit(weight > LIMIT)
