"""`python -m corvane FOLDER`: generates the site, whole or not at all."""

from __future__ import annotations

import shutil
import sys
from concurrent.futures import ProcessPoolExecutor
from functools import partial
from multiprocessing import get_context
from pathlib import Path

from corvane.pages import pages
from corvane.pictures import photos, write_derived, write_graphics, write_photo


def generate(target: Path) -> None:
    """Writes the site into `target`, which must not exist; two processes share the pictures."""
    root = target.with_name(target.name + ".tmp")
    shutil.rmtree(root, ignore_errors=True)
    wanted = photos()
    folders = {Path(p.path).parent for p in wanted} | {Path(p).parent for p in pages()} | {Path("img/icons")}
    for folder in folders:
        (root / folder).mkdir(parents=True, exist_ok=True)
    heavy_first = sorted(wanted, key=lambda p: -p.width * p.height)
    with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
        for done, path in enumerate(pool.map(partial(write_photo, str(root)), heavy_first), 1):
            print(f"\rDemo pictures: {done} of {len(wanted)}  {path:<50}", end="", file=sys.stderr, flush=True)
    print(file=sys.stderr)
    write_graphics(root)
    write_derived(root)
    for path, text in pages().items():
        (root / path).write_text(text, encoding="utf-8")
    root.rename(target)


if __name__ == "__main__":
    generate(Path(sys.argv[1]))
