"""`./thistle bench measure`: page-screens a second on simple pages, two at a time."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

from PIL import Image

from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.measuring import measure_folder
from ivory_thistle.workflows.reading import read_folder

if __name__ == "__main__":
    with tempfile.TemporaryDirectory() as place:
        root = Path(place)
        Image.linear_gradient("L").save(root / "a.png")
        for n in range(24):
            (root / f"{n}.html").write_text(f"<!doctype html><h1>Page {n}</h1><img src=a.png><p>text")
        folder = Folder(root)
        site = read_folder(folder)
        begun = time.monotonic()
        done = measure_folder(folder, site, DEFAULT_SCREENS)
        seconds = time.monotonic() - begun
    print(
        f"{len(done)} page-screens in {seconds:.1f} s: {len(done) / seconds:.1f} a second; {sum(bool(m.problem) for m, _ in done)} problems"
    )
