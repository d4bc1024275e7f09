"""`./thistle bench audit`: static reading of pages, as pages a second and as a ratio to lxml parsing the same."""

from __future__ import annotations

import sys
import time
from pathlib import Path

import lxml.html

from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.source import read_html_source


def cpu(work: object) -> float:
    """CPU seconds of a call."""
    begun = time.process_time()
    work()  # type: ignore[operator]
    return time.process_time() - begun


if __name__ == "__main__":
    pages = [
        p.read_bytes() for root in sys.argv[1:] for p in Path(root).rglob("*.htm*") if p.is_file() and p.stat().st_size
    ]
    times = max(1, 1000 // max(1, len(pages)))
    # In turns, and the quickest of each: other work on the machine then weighs on both alike.
    rounds = [
        (
            cpu(lambda: [read_page(read_html_source(p)) for _ in range(times) for p in pages]),
            cpu(lambda: [lxml.html.document_fromstring(p) for _ in range(times) for p in pages]),
        )
        for _ in range(3)
    ]
    ours, theirs = (min(column) for column in zip(*rounds, strict=True))
    total = times * len(pages)
    size = sum(map(len, pages)) / max(1, len(pages))
    print(f"{total} readings of {len(pages)} pages ({size / 1000:.1f} kB on average), three times")
    print(f"ours {total / ours:.0f} pages/s of CPU, lxml alone {total / theirs:.0f}; ratio {ours / theirs:.1f}")
