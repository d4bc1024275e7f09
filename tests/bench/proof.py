"""`./thistle bench proof`: how soon another setting is seen, beside one encode of the whole picture.

On a picture of 2,000 px: the part that a screen of 1280 x 800 shows (714 x 500 px), encoded quickly, judged and sent
back by a worker, at many qualities in turn; and the thorough encode and score of the whole.
"""

from __future__ import annotations

import io
import tempfile
import time
from pathlib import Path
from statistics import median, quantiles

from PIL import Image
from skimage import data

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import read_facts
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows.desk import Desk
from ivory_thistle.workflows.trying import Box, Sought, reduced_original, try_setting

_WIDTH, _PART, _TRIES = 2000, Box(400, 300, 714, 500), 40


def main() -> None:
    """Prints milliseconds by format."""
    original = Image.fromarray(data.coffee()).resize((4000, 2667), Image.Resampling.LANCZOS)
    held = io.BytesIO()
    original.save(held, "JPEG", quality=95)
    facts = read_facts("coffee.jpg", held.getvalue())[0]
    assert facts is not None
    desk = Desk()
    with tempfile.TemporaryDirectory() as place:
        url = str(Path(place) / "blobs")
        Blobs(url).put(held.getvalue(), facts.sha256)
        sought = Sought(url, facts, _WIDTH)
        begun = time.perf_counter()
        desk.at_once(reduced_original, sought)
        print(f"the original at {_WIDTH:,} px is there after {time.perf_counter() - begun:.2f} s")
        for tier in TIERS:
            seen = []
            for n in range(_TRIES):
                begun = time.perf_counter()
                desk.at_once(try_setting, sought, tier, 30 + n, False, _PART)
                seen.append(time.perf_counter() - begun)
            desk.soon(try_setting, sought, tier, 60, False, None)
            begun = time.perf_counter()
            desk.soon(try_setting, sought, tier, 61, False, None)
            whole = time.perf_counter() - begun
            late = quantiles(seen, n=20)[-1]
            print(
                f"{tier:<9} the part after {1000 * median(seen):.0f} ms (p95 {1000 * late:.0f}),"
                f" the whole after {1000 * whole:.0f}: {whole / median(seen):.0f} times as long"
            )
    desk.close()


if __name__ == "__main__":
    main()
