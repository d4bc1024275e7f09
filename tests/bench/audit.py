"""`./thistle bench audit [FOLDER…]`: reading pages, and whole folders.

Static reading as pages a second, and as a ratio to lxml parsing the same; then the whole of each folder (pages, images,
findings) as the command line reads it, in seconds and as a ratio to a loop that hashes, parses and decodes the same.
"""

from __future__ import annotations

import sys
import time
from contextlib import suppress
from hashlib import sha256
from pathlib import Path

import lxml.html
import pyvips

from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.reading import read_folder


def cpu(work: object) -> float:
    """CPU seconds of a call."""
    begun = time.process_time()
    work()  # type: ignore[operator]
    return time.process_time() - begun


def bare_loop(root: Path) -> None:
    """Hashes every file, parses pages, decodes pictures; what can't be decoded is passed by."""
    for path in (p for p in root.rglob("*") if p.is_file()):
        data = path.read_bytes()
        sha256(data).digest()
        if path.suffix in (".html", ".htm") and data:
            lxml.html.document_fromstring(data)
        elif path.suffix in (".png", ".jpg", ".jpeg", ".webp", ".gif", ".avif"):
            with suppress(pyvips.Error):
                pyvips.Image.new_from_buffer(data, "").write_to_memory()


def whole(root: Path) -> str:
    """One folder read as the command line reads it."""
    begun = time.monotonic()
    site = read_folder(Folder(root))
    seconds = time.monotonic() - begun
    pages, images = len(site.pages), sum(file.image is not None for file in site.files.values())
    return (
        f"{root.name}: {pages} pages and {images} images in {seconds:.1f} s, {pages / seconds:.0f} pages/s;"
        f" {seconds / cpu(lambda: bare_loop(root)):.1f} times a bare loop on one processor"
    )


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
    for root in sys.argv[1:]:
        print(whole(Path(root)))
