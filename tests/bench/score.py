"""`./thistle bench score`: CPU seconds a megapixel of the score, and its ratio to the reference package's."""

from __future__ import annotations

import tempfile
import time
from pathlib import Path

import cv2
import numpy as np
from PIL import Image
from skimage import data
from ssimulacra2 import compute_ssimulacra2

from ivory_thistle.core.quality import prepare, score

SIZE = (1600, 1066)

if __name__ == "__main__":
    cv2.setNumThreads(1)
    original = Image.fromarray(data.coffee()).resize(SIZE, Image.Resampling.LANCZOS)
    with tempfile.TemporaryDirectory() as place:
        a, b = Path(place) / "a.png", Path(place) / "b.png"
        original.save(a)
        original.save(Path(place) / "b.jpg", quality=60)
        rendition = Image.open(Path(place) / "b.jpg").convert("RGB")
        rendition.save(b)
        pixels, others = np.asarray(original), np.asarray(rendition)
        megapixels = SIZE[0] * SIZE[1] / 1e6
        times = []
        for _ in range(5):
            begun = time.process_time()
            side = prepare(pixels)
            middle = time.process_time()
            ours = score(side, others)
            times.append((middle - begun, time.process_time() - middle))
        begun = time.process_time()
        theirs = compute_ssimulacra2(a, b)
        reference = time.process_time() - begun
    preparing, scoring = (min(column) for column in zip(*times, strict=True))
    print(f"prepare {preparing / megapixels:.3f} s/MP, score {scoring / megapixels:.3f} s/MP on one thread")
    print(f"reference package {reference / megapixels:.2f} s/MP: {reference / scoring:.0f} times as much as one score")
    print(f"score {ours:.2f}, reference {theirs:.2f}")
