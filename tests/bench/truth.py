"""`./thistle bench truth FOLDER`: the files we say every `img` loads, against Chromium's, on four screens."""

from __future__ import annotations

import sys
from pathlib import Path

from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.references.page import read_page
from ivory_thistle.core.references.site import base_address
from ivory_thistle.core.references.source import read_html_source
from ivory_thistle.core.selection.elements import image_elements, loaded_file
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, SHOWN
from ivory_thistle.intake.folder import Folder
from ivory_thistle.workflows.headless import measure_folder
from ivory_thistle.workflows.reading import read_folder


def compare(root: Path) -> tuple[int, list[str]]:
    """Number of `img`s judged, and a sentence for each that differs."""
    folder = Folder(root)
    site = read_folder(folder)
    index = FileIndex(site.files)
    screens = {s.name: s for s in DEFAULT_SCREENS}
    judged, wrong = 0, []
    for m in measure_folder(folder, site, DEFAULT_SCREENS):
        source = read_html_source(folder.read(m.page))
        base = base_address(m.page, read_page(source))
        shown = SHOWN["avif"] | {"image/jxl"}
        ours = [f for e in image_elements(source) if (f := loaded_file(e, base, index, screens[m.screen], shown))]
        theirs = [p.path for p in m.placements if p.kind == "img" and p.path]
        judged += len(theirs)
        wrong += [
            f"{m.page} on {m.screen}: we say {a}, Chromium {b}" for a, b in zip(ours, theirs, strict=False) if a != b
        ]
        if len(ours) != len(theirs):
            wrong.append(f"{m.page} on {m.screen}: we see {len(ours)} images, Chromium {len(theirs)}")
    return judged, wrong


if __name__ == "__main__":
    judged, wrong = compare(Path(sys.argv[1]))
    print("\n".join(wrong))
    print(
        f"{judged - len(wrong)} of {judged} img placements as Chromium loads them, on {len(DEFAULT_SCREENS)} screens."
    )
    sys.exit(bool(wrong))
