"""The list of the site's pictures and how each is written, with the troubles that sites have."""

from __future__ import annotations

import io
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pyvips
from PIL import Image

from corvane import graphics
from corvane.noise import Array
from corvane.photographs import photograph

Writer = Callable[[Array, Path], None]


@dataclass(frozen=True, slots=True)
class Photo:
    """One generated photograph and the writer that saves it."""

    path: str
    kind: str
    seed: int
    width: int
    height: int
    style: str = "jpeg92"


def _vips(array: Array) -> pyvips.Image:
    h, w, c = array.shape
    return pyvips.Image.new_from_memory(array.tobytes(), w, h, c, "uchar").copy(interpretation="srgb")


def _jpeg(array: Array, target: Path, quality: int) -> None:
    _vips(array).jpegsave(str(target), Q=quality, subsample_mode="off" if quality > 93 else "auto")


def _camera(array: Array, target: Path) -> None:
    """As a camera writes it: maker, place, a thumbnail, quality 95."""
    image = Image.fromarray(array)
    exif = Image.Exif()
    exif[0x010F], exif[0x0110], exif[0x0132] = "Lumen Works", "Field 24", "2026:08:14 22:41:07"
    gps = exif.get_ifd(0x8825)
    gps[1], gps[2], gps[3], gps[4] = "N", (12.0, 34.0, 56.0), "W", (65.0, 43.0, 21.0)
    image.save(target, "JPEG", quality=95, subsampling=0, exif=exif.tobytes())


def _rotated(array: Array, target: Path) -> None:
    """Stored lying, with an EXIF note that it stands."""
    exif = Image.Exif()
    exif[0x0112] = 6
    Image.fromarray(np.ascontiguousarray(np.rot90(array))).save(target, "JPEG", quality=93, exif=exif.tobytes())


def _cmyk(array: Array, target: Path) -> None:
    _vips(array).icc_export(output_profile="cmyk").jpegsave(str(target), Q=92)


def _png(array: Array, target: Path) -> None:
    _vips(array).pngsave(str(target), compression=6)


def _png16(array: Array, target: Path) -> None:
    wide = (array.astype(np.uint16) * 257) + np.random.default_rng(5).integers(0, 200, array.shape, dtype=np.uint16)
    h, w, c = array.shape
    image = pyvips.Image.new_from_memory(np.minimum(wide, 65535).astype(np.uint16).tobytes(), w, h, c, "ushort")
    image.copy(interpretation="rgb16").pngsave(str(target), compression=4)


def _png_alpha(array: Array, target: Path) -> None:
    """Opaque, yet saved with an alpha channel."""
    _vips(array).bandjoin(255).pngsave(str(target), compression=6)


def _webp_lossless(array: Array, target: Path) -> None:
    _vips(array).webpsave(str(target), lossless=True, effort=2)


def _png_named_jpg(array: Array, target: Path) -> None:
    target.write_bytes(_vips(array).pngsave_buffer(compression=6))


def _cut_off(array: Array, target: Path) -> None:
    """A JPEG whose upload broke off."""
    data = _vips(array).jpegsave_buffer(Q=90)
    target.write_bytes(data[: len(data) * 6 // 10])


STYLES: dict[str, Writer] = {
    "jpeg80": lambda a, t: _jpeg(a, t, 80),
    "jpeg88": lambda a, t: _jpeg(a, t, 88),
    "jpeg92": lambda a, t: _jpeg(a, t, 92),
    "jpeg97": lambda a, t: _jpeg(a, t, 97),
    "camera": _camera, "rotated": _rotated, "cmyk": _cmyk, "png": _png, "png16": _png16,
    "png-alpha": _png_alpha, "webp-lossless": _webp_lossless, "png-named-jpg": _png_named_jpg, "cut-off": _cut_off,
}  # fmt: skip

_GALLERY_KINDS = ("night", "nebula", "dusk", "moon", "planet", "trails", "dome", "rock", "planting", "hall")
_GALLERY_TROUBLE = {5: "cmyk", 11: "rotated", 17: "png", 23: "png-alpha", 29: "jpeg97", 35: "jpeg97"}


def photos() -> list[Photo]:
    """Every photograph of the site."""
    found = [
        Photo("img/hero/night-over-the-ridge.jpg", "night", 1, 4800, 2700, "jpeg97"),
        Photo("img/hero/dusk-terrace.jpg", "dusk", 2, 2400, 1350),
        Photo("img/hero/dome-evening.jpg", "dome", 3, 2200, 1240),
        Photo("img/hero/hall.jpg", "hall", 4, 2400, 1200),
        Photo("img/textures/stone.jpg", "rock", 5, 1600, 1000),
        Photo("img/camera/DSC_0431.JPG", "dusk", 10, 6000, 4000, "camera"),
        Photo("img/camera/DSC_0437.JPG", "dome", 11, 6000, 4000, "camera"),
        Photo("img/camera/DSC_0502.JPG", "planting", 12, 6000, 4000, "camera"),
        Photo("img/exhibitions/meteor-case.jpg", "rock", 20, 1800, 1200),
        Photo("img/exhibitions/orrery.png", "instrument", 21, 1500, 1000, "png"),
        Photo("img/exhibitions/moon-room.jpg", "moon", 22, 1800, 1200, "jpeg97"),
        Photo("img/exhibitions/giants.jpg", "planet", 23, 1800, 1200),
        Photo("img/press/ridge-16bit.png", "dusk", 30, 1500, 1000, "png16"),
        Photo("img/press/observatory-print.jpg", "dome", 31, 3000, 2000, "cmyk"),
        Photo("img/press/night-walk.jpg", "trails", 32, 3000, 2000, "jpeg97"),
        Photo("img/press/director-s-telescope.jpg", "instrument", 33, 2000, 1500),
        Photo("img/press/broken-upload.jpg", "nebula", 34, 1200, 800, "cut-off"),
        Photo("img/instruments/refractor.png", "instrument", 40, 1400, 1050, "png-alpha"),
        Photo("img/instruments/refractor-lens.webp", "planet", 41, 1200, 900, "webp-lossless"),
        Photo("img/instruments/finder.jpg", "instrument", 42, 1600, 1200, "png-named-jpg"),
        Photo("img/instruments/east-dome.jpg", "dome", 43, 2000, 1333),
        Photo("img/instruments/spectrograph.jpg", "nebula", 44, 1800, 1200),
        Photo("img/instruments/mount.jpg", "instrument", 45, 1600, 1200, "rotated"),
        Photo("img/learning/classroom.jpg", "hall", 50, 1600, 1067),
        Photo("img/learning/garden.jpg", "planting", 51, 1600, 1067),
        Photo("img/membership/evening.jpg", "dusk", 52, 640, 360, "jpeg80"),
        Photo("img/membership/guests.jpg", "hall", 53, 480, 320, "jpeg80"),
        Photo("img/tonight/sky.jpg", "night", 54, 2000, 1125, "jpeg88"),
        Photo("img/tonight/moon.jpg", "moon", 55, 1200, 1200),
        Photo("img/tonight/ringed.jpg", "planet", 56, 1600, 1067),
        Photo("img/visit/road.jpg", "dusk", 57, 1800, 1200),
        Photo("img/visit/terrace.jpg", "dome", 58, 1800, 1200),
        Photo("img/visit/garden.jpg", "planting", 59, 1800, 1200),
    ]
    for n in range(1, 41):
        style = _GALLERY_TROUBLE.get(n, "jpeg92")
        found.append(Photo(f"img/gallery/{n:02d}.jpg" if style not in ("png", "png-alpha") else f"img/gallery/{n:02d}.png",
                           _GALLERY_KINDS[n % 10], 100 + n, 1920, 1280, style))  # fmt: skip
    for n, kind in enumerate(["nebula", "planet", "moon", "night", "hall", "trails", "nebula", "planet", "hall"], 1):
        style = "png" if n in (2, 7) else "jpeg92"
        found.append(Photo(f"img/shows/show-{n}.{'png' if style == 'png' else 'jpg'}", kind, 200 + n, 1600, 900, style))
    for post in range(1, 6):
        for n in range(1, 4):
            kind = ("trails", "moon", "planting", "dusk", "nebula", "rock", "night")[(post * 3 + n) % 7]
            found.append(Photo(f"img/news/2026-0{post}-{n}.jpg", kind, 300 + post * 10 + n, 1600, 1067))
    for n in range(1, 11):
        kind = ("instrument", "planet", "moon", "rock", "nebula")[n % 5]
        found.append(Photo(f"img/shop/item-{n:02d}.jpg", kind, 400 + n, 1200, 1200, "jpeg88"))
    for n in range(1, 6):
        kind = _GALLERY_KINDS[n]
        found.append(Photo(f"img/social/card-{n}.jpg", kind, 500 + n, 1200, 630, "jpeg80"))
    found += [Photo(f"img/old/archive-{n}.jpg", _GALLERY_KINDS[n + 2], 600 + n, 1400, 933) for n in range(1, 7)]
    return found


def write_photo(root: str, photo: Photo) -> str:
    """Makes one photograph and saves it; the path is returned."""
    pyvips.cache_set_max(0)
    target = Path(root) / photo.path
    STYLES[photo.style](photograph(photo.kind, photo.seed, photo.width, photo.height), target)
    return photo.path


SRCSET_WIDTHS = (480, 960, 1600)


def write_derived(root: Path) -> None:
    """Copies, near copies, narrower sizes and wrongly made files, from the photographs that are there."""

    def copy(source: str, target: str) -> None:
        (root / target).write_bytes((root / source).read_bytes())

    copy("img/gallery/03.jpg", "img/news/moonrise-copy.jpg")
    copy("img/tonight/moon.jpg", "img/shop/moon-poster.jpg")
    copy("img/hero/dusk-terrace.jpg", "img/press/terrace.jpg")
    for source, target, quality in (
        ("img/gallery/07.jpg", "img/news/ridge-again.jpg", 84),
        ("img/gallery/13.jpg", "img/old/thirteen.jpg", 90),
    ):
        pyvips.Image.new_from_file(str(root / source)).jpegsave(str(root / target), Q=quality)
    for width in SRCSET_WIDTHS:
        for source, stem in (
            ("img/tonight/sky.jpg", "img/tonight/sky"),
            ("img/exhibitions/giants.jpg", "img/exhibitions/giants"),
        ):
            small = pyvips.Image.thumbnail(str(root / source), width, height=9999)
            small.jpegsave(str(root / f"{stem}-{width}.jpg"), Q=88)
    (root / "img/press/not-a-picture.jpg").write_bytes(b"<html><body>404 Not Found</body></html>")
    (root / "img/press/huge-claim.png").write_bytes(_claims(60_000, 60_000))


def _claims(width: int, height: int) -> bytes:
    """A tiny PNG that claims a great many pixels."""
    import struct
    import zlib

    def chunk(kind: bytes, body: bytes) -> bytes:
        return struct.pack(">I", len(body)) + kind + body + struct.pack(">I", zlib.crc32(kind + body))

    header = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    body = chunk(b"IHDR", header) + chunk(b"IDAT", zlib.compress(b"\0" * 64)) + chunk(b"IEND", b"")
    return b"\x89PNG\r\n\x1a\n" + body


def write_graphics(root: Path) -> None:
    """Charts, maps, screens, emblems, icons, the sprite, the animation and the logo."""

    def save(image: Image.Image, path: str, **options: object) -> None:
        image.save(root / path, **options)

    save(graphics.visitors_chart(), "img/learning/visitors.png")
    save(graphics.visitors_chart(1000, 620), "img/press/visitors.jpg", quality=90)
    save(graphics.star_map(), "img/tonight/star-map.png")
    save(graphics.star_map(1000, 9), "img/learning/star-map-summer.png")
    for n in range(1, 5):
        save(graphics.screen(seed=n), f"img/instruments/screen-{n}.png")
    for n, (colour, letters) in enumerate(
        [(graphics.THISTLE, "CR"), (graphics.STEM, "ED"), (graphics.OCHRE, "KD"), ("#31445f", "NV")], 1
    ):
        save(graphics.badge(900, colour, letters), f"img/shop/badge-{n}.png")
    for name in ("clock", "ticket", "moon", "star"):
        save(graphics.icon(name), f"img/icons/{name}.png")
    save(graphics.sprite(), "img/icons/sprite.png")
    save(graphics.badge(180), "img/icons/apple-touch-icon.png")
    save(graphics.badge(48), "favicon.ico", format="ICO", sizes=[(16, 16), (32, 32), (48, 48)])
    save(graphics.badge(700), "img/logo-large.png")
    frames = graphics.moon_phases()
    frames[0].save(root / "img/tonight/phases.gif", save_all=True, append_images=frames[1:], duration=160, loop=0)
    (root / "img/logo.svg").write_text(graphics.logo_svg(), encoding="utf-8")


def dot_uri() -> str:
    """A small picture as a data: URI."""
    import base64

    out = io.BytesIO()
    graphics.icon("star", 24).save(out, "PNG")
    return "data:image/png;base64," + base64.b64encode(out.getvalue()).decode()
