"""Small pictures for tests, each made by a readable function; photographs come from published packages."""

from __future__ import annotations

import io
import struct
import zlib
from dataclasses import replace
from pathlib import Path

import numpy as np
from PIL import Image, ImageDraw

from ivory_thistle.core.images.facts import ImageFacts, read_facts


def photograph(name: str) -> Image.Image:
    """A real photograph: those of scikit-image (astronaut, coffee, chelsea, rocket) or scikit-learn (china, flower)."""
    if name in ("china", "flower"):
        from sklearn.datasets import load_sample_image

        return Image.fromarray(load_sample_image(f"{name}.jpg"))
    from skimage import data

    return Image.fromarray(getattr(data, name)())


def camera_picture(width: int = 3000, height: int = 2000) -> Image.Image:
    """A photograph enlarged to a camera's size, with sensor noise so that it weighs like one."""
    large = np.asarray(photograph("coffee").resize((width, height), Image.Resampling.BICUBIC), dtype=np.float32)
    noise = np.random.default_rng(1).normal(0, 6, large.shape)
    return Image.fromarray(np.clip(large + noise, 0, 255).astype(np.uint8))


def translucent_graphic(side: int = 600) -> Image.Image:
    """A truecolour picture of few colours with soft edges over nothing."""
    big = Image.new("RGBA", (side * 2, side * 2), (0, 0, 0, 0))
    draw = ImageDraw.Draw(big)
    for n, colour in enumerate(["#6b4a80", "#47664f", "#8f5e12", "#9c3434"]):
        inset = side * (0.1 + n * 0.2)
        draw.ellipse([inset, inset, side * 2 - inset, side * 2 - inset], fill=colour)
    return big.resize((side, side), Image.Resampling.LANCZOS)


def encoded(image: Image.Image, format_: str, **options: object) -> bytes:
    """A Pillow image as a file."""
    out = io.BytesIO()
    image.save(out, format_, **options)
    return out.getvalue()


def opened(data: bytes) -> Image.Image:
    """A file as a Pillow image, wholly decoded."""
    image = Image.open(io.BytesIO(data))
    image.load()
    return image


def png_that_claims(width: int, height: int) -> bytes:
    """A PNG of a few bytes whose header claims any size."""

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    header = chunk(b"IHDR", struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + header + chunk(b"IDAT", zlib.compress(b"\0" * 99)) + chunk(b"IEND", b"")


PAGE = """<!doctype html><html><head><title>Tea &amp; light</title><link rel=stylesheet href=css/main.css>
<meta property="og:image" content="img/coffee.jpg"></head>
<body><h1>Tea</h1><img src="img/coffee.jpg" alt="A cup" class='big' width=300 data-x="1>0">
<p>Text with <img src='img/graphic.png' alt="Rings"> and &nbsp; a <b>bold word.
<img src="img/missing.jpg"><img alt=Cat SRC=img/cat.jpg>
<div style="background-image:url('img/china.jpg')">x</div></body></html>
"""
SECOND = """<html><head><meta charset="utf-8"></head><body><a href="../img/coffee.jpg">large</a>
<img src="../img/coffee.jpg" srcset="../img/coffee.jpg 1x, ../img/coffee-2x.jpg 2x" alt=""></body></html>
"""
CSS = """/* url(not-this.png) */ img{max-width:100%;height:auto}
.hero{color:red;background:#222 url(../img/china.jpg) center/cover no-repeat;margin:0}
"""


def write_site(root: Path) -> Path:
    """A little site of two pages with real photographs, a graphic and some troubles."""
    coffee, cat, china = (photograph(name) for name in ("coffee", "chelsea", "china"))
    files: dict[str, bytes] = {
        "index.html": PAGE.encode(),
        "more/second.html": SECOND.encode(),
        "css/main.css": CSS.encode(),
        "img/coffee.jpg": encoded(coffee, "JPEG", quality=95),
        "img/coffee-2x.jpg": encoded(coffee.resize((900, 600)), "JPEG", quality=95),
        "img/cat.jpg": encoded(cat.resize((300, 200)), "JPEG", quality=96),
        "img/china.jpg": encoded(china.resize((480, 320)), "JPEG", quality=95),
        "img/graphic.png": encoded(translucent_graphic(240), "PNG"),
        "img/unused.jpg": encoded(photograph("flower"), "JPEG", quality=80),
    }
    for path, data in files.items():
        (root / path).parent.mkdir(parents=True, exist_ok=True)
        (root / path).write_bytes(data)
    return root


def facts_of(data: bytes, name: str = "x.jpg") -> ImageFacts:
    """Facts of a file that holds a picture."""
    facts = read_facts(name, data)[0]
    assert facts is not None
    return facts


def as_if_heavy(facts: ImageFacts) -> ImageFacts:
    """An original beside which every file is worth having."""
    return replace(facts, bytes=1_000_000)
