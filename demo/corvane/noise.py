"""Noise and shapes that the pictures are made of. Arrays are height x width (x 3) floats, 0 to 1."""

from __future__ import annotations

import numpy as np
import pyvips

Array = np.ndarray


def fractal(rng: np.random.Generator, height: int, width: int, falloff: float = 1.8, stretch: float = 1.0) -> Array:
    """Fractal noise (spectrum 1/f^falloff), 0 to 1; `stretch` above 1 draws it out sideways."""
    small_h, small_w = min(height, 560), min(width, 840)
    fy = np.fft.fftfreq(small_h)[:, None] * small_h
    fx = np.fft.rfftfreq(small_w)[None, :] * small_w * stretch * small_h / small_w
    radius = np.sqrt(fy**2 + fx**2)
    radius[0, 0] = 1
    phases = rng.normal(size=radius.shape) + 1j * rng.normal(size=radius.shape)
    field = np.fft.irfft2(phases / radius**falloff, s=(small_h, small_w))
    low, high = np.percentile(field, [0.5, 99.5])
    return enlarge(np.clip((field - low) / (high - low), 0, 1), height, width)


def enlarge(field: Array, height: int, width: int) -> Array:
    """A field resized to height x width, smoothly."""
    if field.shape[:2] == (height, width):
        return field.astype(np.float32)
    bands = 1 if field.ndim == 2 else field.shape[2]
    data = np.ascontiguousarray(field, dtype=np.float32)
    image = pyvips.Image.new_from_memory(data.tobytes(), field.shape[1], field.shape[0], bands, "float")
    out = image.resize(width / field.shape[1], vscale=height / field.shape[0], kernel="cubic")
    return np.asarray(out.numpy())[:height, :width]


def grid(height: int, width: int) -> tuple[Array, Array]:
    """Coordinates from 0 to 1, down and across."""
    return np.linspace(0, 1, height, dtype=np.float32)[:, None], np.linspace(0, 1, width, dtype=np.float32)[None, :]


def gradient(height: int, width: int, stops: list[tuple[float, tuple[int, int, int]]]) -> Array:
    """A vertical gradient through colour stops (place 0-1, RGB 0-255)."""
    y = np.linspace(0, 1, height)
    places = [s[0] for s in stops]
    column = np.stack([np.interp(y, places, [s[1][c] / 255 for s in stops]) for c in range(3)], axis=1)
    return np.repeat(column[:, None, :], width, axis=1).astype(np.float32)


def mix(under: Array, over: Array | tuple[float, float, float], alpha: Array) -> Array:
    """`over` laid on `under` with an alpha field."""
    return under * (1 - alpha[..., None]) + np.asarray(over, dtype=np.float32) * alpha[..., None]


def ridge_line(rng: np.random.Generator, width: int, base: float, rough: float) -> Array:
    """Heights (0 at the top, 1 at the foot) of a mountain ridge across the picture."""
    n = 1 << (width - 1).bit_length()
    frequencies = np.fft.rfftfreq(n) * n
    frequencies[0] = 1
    spectrum = (rng.normal(size=frequencies.size) + 1j * rng.normal(size=frequencies.size)) / frequencies**1.45
    spectrum[0] = 0
    line = np.fft.irfft(spectrum, n)[:width]
    return base + rough * line / (np.abs(line).max() + 1e-9)


def ridges(rng: np.random.Generator, picture: Array, colours: list[tuple[int, int, int]], first: float) -> Array:
    """Ranges of hills, the farthest first, with a little texture."""
    picture = picture.astype(np.float32)
    height, width = picture.shape[:2]
    y = np.linspace(0, 1, height, dtype=np.float32)[:, None]
    texture = fractal(rng, height, width, 1.1)[..., None]
    for number, colour in enumerate(colours):
        base = first + (1 - first) * number / (len(colours) + 0.4)
        line = ridge_line(rng, width, base, 0.09 + 0.02 * number).astype(np.float32)
        top = max(0, int(line.min() * height) - 2)
        alpha = np.clip((y[top:] - line[None, :]) * (height / 2), 0, 1)[..., None]
        shade = np.asarray(colour, dtype=np.float32) / 255
        lit = shade * (0.72 + texture[top:] * np.float32(0.15 + 0.35 * number / len(colours)))
        picture[top:] += (lit - picture[top:]) * alpha
    return picture


def stars(rng: np.random.Generator, picture: Array, count: int, horizon: float = 1.0) -> Array:
    """Stars of many brightnesses as small soft dots, above the horizon (0-1)."""
    height, width = picture.shape[:2]
    picture = picture.copy()
    scale = max(1.0, width / 1600)
    for x, y, luck in zip(rng.random(count), rng.random(count) * horizon, rng.random(count), strict=True):
        bright = 0.25 + 0.75 * luck**6
        radius = (0.55 + 1.5 * luck**14) * scale
        reach = int(radius * 3) + 1
        cx, cy = int(x * width), int(y * height)
        y0, y1, x0, x1 = (
            max(0, cy - reach),
            min(height, cy + reach + 1),
            max(0, cx - reach),
            min(width, cx + reach + 1),
        )
        if y1 <= y0 or x1 <= x0:
            continue
        dy, dx = np.ogrid[y0 - cy : y1 - cy, x0 - cx : x1 - cx]
        dot = bright * np.exp(-(dx**2 + dy**2) / (2 * radius**2))
        tint = np.array([1.0, 0.94 + 0.06 * luck, 0.86 + 0.14 * (1 - luck)], dtype=np.float32)
        picture[y0:y1, x0:x1] = np.clip(picture[y0:y1, x0:x1] + dot[..., None] * tint, 0, 1)
    return picture


def grain(rng: np.random.Generator, picture: Array, amount: float) -> Array:
    """Sensor noise: the finest detail that makes a photograph behave like one."""
    height, width = picture.shape[:2]
    side = 768
    tile = rng.standard_normal((min(height, side), min(width, side), 1), dtype=np.float32) * np.float32(amount / 2)
    out = picture.astype(np.float32)
    for y in range(0, height, side):
        for x in range(0, width, side):
            part = out[y : y + side, x : x + side]
            part += tile[: part.shape[0], : part.shape[1]] * (1 + part)
    return out


def to_bytes(picture: Array) -> Array:
    """0-1 floats as 8-bit pixels."""
    out = np.clip(picture, 0, 1, dtype=np.float32)
    out *= 255
    out += 0.5
    return out.astype(np.uint8)
