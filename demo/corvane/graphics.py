"""Pictures that are no photographs: charts, star maps, screens, logos, icons, an animation."""

from __future__ import annotations

import math
import random

from PIL import Image, ImageDraw, ImageFont

THISTLE, INK, PAPER, STEM, OCHRE = "#5b3f7a", "#221f2b", "#fbf9f3", "#4a6b52", "#a0702a"


def _font(size: int) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    return ImageFont.load_default(size)


def visitors_chart(width: int = 1400, height: int = 800) -> Image.Image:
    """Bars with lettering: visitors by month."""
    image = Image.new("RGB", (width, height), PAPER)
    draw = ImageDraw.Draw(image)
    draw.text((60, 36), "Visitors to Corvane Ridge by month", fill=INK, font=_font(40))
    values = [310, 420, 520, 760, 980, 1240, 1680, 1890, 1320, 940, 610, 560]
    names = ["Jan", "Feb", "Mar", "Apr", "May", "Jun", "Jul", "Aug", "Sep", "Oct", "Nov", "Dec"]
    step = (width - 200) / 12
    for n in range(5):
        y = height - 100 - n * (height - 240) / 4
        draw.line([(120, y), (width - 60, y)], fill="#d9d2c4", width=2)
        draw.text((50, y - 14), str(n * 500), fill="#6d6674", font=_font(24))
    for n, (value, name) in enumerate(zip(values, names, strict=True)):
        x, top = 140 + n * step, height - 100 - value / 2000 * (height - 240)
        draw.rectangle([x, top, x + step * 0.62, height - 100], fill=THISTLE if value > 1000 else STEM)
        draw.text((x + 4, height - 86), name, fill=INK, font=_font(26))
    return image


def star_map(side: int = 1600, seed: int = 3) -> Image.Image:
    """A round map of the sky: thin lines, small lettering."""
    image = Image.new("RGB", (side, side), "#0f1430")
    draw = ImageDraw.Draw(image)
    rng = random.Random(seed)
    middle = side / 2
    for n in range(1, 5):
        r = middle * n / 4.3
        draw.ellipse([middle - r, middle - r, middle + r, middle + r], outline="#394476", width=2)
    for hour in range(12):
        a = hour * math.pi / 6
        edge = (middle + math.cos(a) * middle * 0.93, middle + math.sin(a) * middle * 0.93)
        draw.line([(middle, middle), edge], fill="#2b3564", width=2)
        draw.text(
            (middle + math.cos(a) * middle * 0.955 - 14, middle + math.sin(a) * middle * 0.955 - 14),
            f"{hour * 2}h",
            fill="#b9c0e6",
            font=_font(26),
        )
    for group in range(14):
        a, r = rng.random() * 6.28, middle * (0.15 + 0.65 * rng.random())
        points = [
            (middle + math.cos(a) * r + rng.uniform(-90, 90), middle + math.sin(a) * r + rng.uniform(-90, 90))
            for _ in range(6)
        ]
        draw.line(points, fill="#7f8bd0", width=2)
        for x, y in points:
            size = rng.choice([3, 4, 5, 7])
            draw.ellipse([x - size, y - size, x + size, y + size], fill="#fff6da")
        draw.text(
            (points[0][0] + 12, points[0][1] + 6),
            ["Heron", "Ladder", "Kiln", "Otter", "Loom", "Plough-hand", "Lantern"][group % 7],
            fill="#d6dbf6",
            font=_font(24),
        )
    return image


def screen(width: int = 1280, height: int = 800, seed: int = 1) -> Image.Image:
    """A screenshot of the (made-up) control program: panels, lettering, a small graph."""
    image = Image.new("RGB", (width, height), "#e9e7ee")
    draw = ImageDraw.Draw(image)
    rng = random.Random(seed)
    draw.rectangle([0, 0, width, 44], fill="#3a3350")
    draw.text((18, 9), "Dome control: east telescope", fill="#ffffff", font=_font(22))
    for n in range(9):
        draw.rectangle([20, 66 + n * 78, 300, 130 + n * 78], fill="#ffffff", outline="#c9c4d6", width=2)
        draw.text(
            (36, 76 + n * 78),
            ["Azimuth", "Altitude", "Shutter", "Tracking", "Focus", "Filter", "Cooling", "Humidity", "Wind"][n],
            fill="#4a4358",
            font=_font(20),
        )
        draw.text((36, 100 + n * 78), f"{rng.uniform(1, 99):.2f}", fill=THISTLE, font=_font(22))
    draw.rectangle([326, 66, width - 20, height - 26], fill="#16182c", outline="#c9c4d6", width=2)
    points = [
        (340 + n * (width - 380) / 90, height / 2 + 120 * math.sin(n / 9 + seed) + rng.uniform(-30, 30))
        for n in range(90)
    ]
    draw.line(points, fill="#9fd3a8", width=3)
    for n in range(8):
        draw.text(
            (350, 84 + n * 30),
            f"02:{10 + n}:04  exposure {n + 1} of 8 finished, seeing {rng.uniform(0.8, 2.4):.1f}",
            fill="#c6c9e4",
            font=_font(18),
        )
    return image


def badge(side: int = 900, colour: str = THISTLE, letters: str = "CR") -> Image.Image:
    """A translucent emblem of few colours, saved as truecolour."""
    image = Image.new("RGBA", (side * 2, side * 2), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    s = side * 2
    draw.ellipse([s * 0.03, s * 0.03, s * 0.97, s * 0.97], fill=colour)
    draw.ellipse([s * 0.09, s * 0.09, s * 0.91, s * 0.91], outline="#f4eee0", width=s // 60)
    draw.pieslice([s * 0.24, s * 0.32, s * 0.76, s * 0.84], 180, 360, fill="#f4eee0")
    draw.rectangle([s * 0.24, s * 0.58, s * 0.76, s * 0.70], fill="#f4eee0")
    draw.rectangle([s * 0.47, s * 0.32, s * 0.55, s * 0.58], fill=colour)
    draw.text((s * 0.37, s * 0.71), letters, fill="#f4eee0", font=_font(s // 8))
    return image.resize((side, side), Image.Resampling.LANCZOS)


def icon(name: str, side: int = 64) -> Image.Image:
    """A small symbol on nothing."""
    s = side * 4
    image = Image.new("RGBA", (s, s), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)
    if name == "clock":
        draw.ellipse([s * 0.1, s * 0.1, s * 0.9, s * 0.9], outline=INK, width=s // 12)
        draw.line([(s / 2, s * 0.25), (s / 2, s / 2), (s * 0.7, s * 0.6)], fill=INK, width=s // 14)
    elif name == "ticket":
        draw.rounded_rectangle([s * 0.08, s * 0.28, s * 0.92, s * 0.72], s // 10, fill=OCHRE)
        draw.line([(s * 0.62, s * 0.3), (s * 0.62, s * 0.7)], fill=PAPER, width=s // 30)
    elif name == "moon":
        draw.ellipse([s * 0.12, s * 0.12, s * 0.88, s * 0.88], fill=THISTLE)
        draw.ellipse([s * 0.34, s * 0.04, s * 1.0, s * 0.74], fill=(0, 0, 0, 0))
    else:
        points = [
            (
                s / 2 + math.cos(math.pi * n / 5 - math.pi / 2) * s * (0.45 if n % 2 == 0 else 0.2),
                s / 2 + math.sin(math.pi * n / 5 - math.pi / 2) * s * (0.45 if n % 2 == 0 else 0.2),
            )
            for n in range(10)
        ]
        draw.polygon(points, fill=STEM)
    return image.resize((side, side), Image.Resampling.LANCZOS)


def sprite() -> Image.Image:
    """Four symbols side by side, shown one at a time by background-position."""
    sheet = Image.new("RGBA", (256, 64), (0, 0, 0, 0))
    for n, name in enumerate(["clock", "ticket", "moon", "star"]):
        sheet.paste(icon(name), (n * 64, 0))
    return sheet


def moon_phases(side: int = 220, frames: int = 24) -> list[Image.Image]:
    """The Moon through a month, as frames of an animation."""
    pictures = []
    for n in range(frames):
        phase = math.cos(2 * math.pi * n / frames)
        image = Image.new("RGB", (side, side), "#10121f")
        draw = ImageDraw.Draw(image)
        box = [side * 0.1, side * 0.1, side * 0.9, side * 0.9]
        draw.ellipse(box, fill="#2a2c3c")
        draw.pieslice(box, -90, 90, fill="#efe8d6")
        half = abs(phase) * side * 0.4
        draw.ellipse(
            [side / 2 - half, side * 0.1, side / 2 + half, side * 0.9],
            fill="#2a2c3c" if phase > 0 else "#efe8d6",
        )
        pictures.append(image)
    return pictures


LOGO_SVG = """<?xml version="1.0" encoding="UTF-8" standalone="no"?>
<!-- Drawn for the made-up Corvane Ridge Observatory -->
<svg xmlns="http://www.w3.org/2000/svg" xmlns:draft="https://draft.example/ns" width="240" height="64" viewBox="0 0 240 64" draft:version="7.2" draft:window-x="0">
  <metadata id="metadata7"><draft:history>{ballast}</draft:history></metadata>
  <g id="layer1" draft:label="Layer 1"><path d="M 8.000000,52.000000 L 24.000000,20.000000 L 34.000000,38.000000 L 42.000000,26.000000 L 56.000000,52.000000 Z" fill="#5b3f7a"/>
  <path d="M 18,16 a 14,14 0 0 1 28,0 z" fill="#4a6b52"/></g>
  <text x="68" y="42" font-family="Georgia, serif" font-size="26" fill="#221f2b">Corvane Ridge</text>
</svg>
"""


def logo_svg() -> str:
    """The site's logo with an editor's ballast in it."""
    ballast = " ".join(f"step{n}:move(0.{n:04d},0.{n * 7 % 9973:04d})" for n in range(260))
    return LOGO_SVG.format(ballast=ballast)
