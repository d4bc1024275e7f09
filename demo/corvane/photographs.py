"""Pictures that behave like photographs: skies, ridges, discs, trails, domes, textures, planting."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from corvane.noise import Array, enlarge, fractal, gradient, grain, grid, mix, ridges, stars, to_bytes

Maker = Callable[[np.random.Generator, int, int], Array]

_NATIVE_WIDTH = 1024
NIGHT = [(8, 10, 26), (14, 20, 44), (30, 38, 70)]
HUES = [(0.72, 0.34, 0.62), (0.24, 0.46, 0.82), (0.86, 0.52, 0.28), (0.30, 0.66, 0.58), (0.62, 0.40, 0.86)]


def night_sky(rng: np.random.Generator, height: int, width: int) -> Array:
    """A nebula over dark ridges, with a few thousand stars."""
    sky = gradient(height, width, [(0, NIGHT[0]), (0.6, NIGHT[1]), (1, NIGHT[2])])
    band = fractal(rng, height, width, 1.7)
    dust = fractal(rng, height, width, 1.3)
    hue = HUES[int(rng.integers(len(HUES)))]
    sky = sky + (np.clip(band - 0.45, 0, 1) * 1.5)[..., None] * np.array(hue, dtype=np.float32) * 0.8
    sky = sky * (0.62 + 0.5 * dust[..., None])
    sky = stars(rng, sky, 2200, 0.9)
    sky = ridges(rng, sky, [(20, 22, 40), (12, 13, 24), (5, 6, 12)], 0.74)
    return to_bytes(grain(rng, sky, 0.018))


def nebula(rng: np.random.Generator, height: int, width: int) -> Array:
    """Glowing gas in two colours, dark lanes across it."""
    first, second = (HUES[int(i)] for i in rng.choice(len(HUES), 2, replace=False))
    gas, other, lanes = (fractal(rng, height, width, f) for f in (1.9, 1.7, 1.35))
    sky = np.zeros((height, width, 3), dtype=np.float32) + np.array([0.02, 0.02, 0.05], dtype=np.float32)
    sky += (np.clip(gas - 0.35, 0, 1) ** 1.4 * 1.9)[..., None] * np.array(first, dtype=np.float32)
    sky += (np.clip(other - 0.4, 0, 1) ** 1.4 * 1.6)[..., None] * np.array(second, dtype=np.float32)
    sky *= (0.35 + 0.85 * lanes)[..., None]
    return to_bytes(grain(rng, stars(rng, sky, 2600), 0.014))


def dusk(rng: np.random.Generator, height: int, width: int) -> Array:
    """A smooth evening sky over ranges of hills: gradients that show banding."""
    warm = int(rng.integers(0, 50))
    sky = gradient(
        height, width, [(0, (34, 44, 92)), (0.42, (120, 92, 132)), (0.66, (222 - warm, 138, 104)), (0.8, (246, 196, 136)), (1, (250, 220, 170))]
    )  # fmt: skip
    clouds = fractal(rng, height, width, 1.9, stretch=3.0)
    sky = mix(sky, (0.98, 0.72, 0.6), np.clip(clouds - 0.62, 0, 1) * 1.1)
    sky = ridges(rng, sky, [(112, 88, 128), (84, 66, 108), (54, 44, 80), (28, 24, 48)], 0.62)
    return to_bytes(grain(rng, sky, 0.008))


def moon(rng: np.random.Generator, height: int, width: int) -> Array:
    """A cratered disc, lit from one side."""
    y, x = grid(height, width)
    aspect = width / height
    cy, cx, radius = 0.5, 0.5 * aspect, 0.40
    dx, dy = (x * aspect - cx) / radius, (y - cy) / radius
    r2 = dx**2 + dy**2
    z = np.sqrt(np.clip(1 - r2, 0, 1))
    angle = rng.random() * 1.4 - 0.7
    light = np.clip(dx * np.sin(angle) + z * np.cos(angle) - 0.12 * dy, 0, 1)
    relief, seas = fractal(rng, height, width, 1.15), fractal(rng, height, width, 2.1)
    dents = np.zeros((height, width), dtype=np.float32)
    for _ in range(90):
        px, py, size = rng.random() * 2 - 1, rng.random() * 2 - 1, 0.02 + 0.11 * rng.random() ** 3
        rows = slice(*np.searchsorted(dy[:, 0], [py - size * 1.25, py + size * 1.25]))
        columns = slice(*np.searchsorted(dx[0], [px - size * 1.25, px + size * 1.25]))
        d = np.sqrt((dx[:, columns] - px) ** 2 + (dy[rows] - py) ** 2) / size
        dents[rows, columns] += np.where(
            d < 1.25, np.exp(-((d - 1) ** 2) * 24) * 0.16 - np.exp(-(d**2) * 2.4) * 0.10, 0
        )
    shade = light * (0.62 + 0.30 * relief - 0.32 * (seas > 0.55) * seas + dents)
    disc = shade[..., None] * np.array([0.98, 0.95, 0.88], dtype=np.float32)
    edge = np.clip((1 - np.sqrt(r2)) * height * radius / 1.5, 0, 1)
    sky = np.zeros((height, width, 3), dtype=np.float32) + 0.015
    return to_bytes(grain(rng, mix(stars(rng, sky, 120), disc, edge), 0.014))


def planet(rng: np.random.Generator, height: int, width: int) -> Array:
    """A banded gas planet, now and then with a ring."""
    y, x = grid(height, width)
    aspect = width / height
    radius = 0.30
    dx, dy = (x * aspect - 0.5 * aspect) / radius, (y - 0.5) / radius
    r = np.sqrt(dx**2 + dy**2)
    turbulence = fractal(rng, height, width, 1.6, stretch=3.2)
    bands = 0.5 + 0.5 * np.sin(dy * (9 + 5 * rng.random()) + turbulence * 3.2 + rng.random() * 6)
    warm, pale = np.array([0.72, 0.5, 0.34], dtype=np.float32), np.array([0.95, 0.88, 0.74], dtype=np.float32)
    if rng.random() < 0.4:
        warm, pale = (
            np.array([0.32, 0.5, 0.66], dtype=np.float32),
            np.array([0.74, 0.88, 0.92], dtype=np.float32),
        )
    z = np.sqrt(np.clip(1 - r**2, 0, 1))
    surface = (warm + (pale - warm) * bands[..., None]) * np.clip(0.15 + 0.95 * (z * 0.8 + dx * 0.45), 0, 1.1)[
        ..., None
    ]
    picture = stars(rng, np.zeros((height, width, 3), dtype=np.float32) + 0.012, 500)
    if rng.random() < 0.6:
        ring = np.sqrt(dx**2 + ((dy + dx * 0.25) * 3.4) ** 2)
        stripes = 0.55 + 0.45 * np.sin(ring * 46)
        alpha = ((ring > 1.3) & (ring < 2.15)) * stripes * 0.75
        picture = mix(picture, (0.86, 0.78, 0.64), alpha * ((r > 1) | (dy + dx * 0.25 > 0)))
    return to_bytes(grain(rng, mix(picture, surface, np.clip((1 - r) * height * radius / 1.5, 0, 1)), 0.01))


def star_trails(rng: np.random.Generator, height: int, width: int) -> Array:
    """Arcs around the pole over a ridge: thin bright lines on dark ground."""
    y, x = grid(height, width)
    aspect = width / height
    px, py = (0.3 + 0.4 * rng.random()) * aspect, 0.35
    radius = np.sqrt((x * aspect - px) ** 2 + (y - py) ** 2)
    turn = np.arctan2(y - py, x * aspect - px)
    slots = 520
    place = radius * slots / 1.3
    ring = np.clip(place.astype(np.int32), 0, slots - 1)
    start, length, bright = (
        rng.random(slots) * 2 * np.pi,
        0.5 + 0.9 * rng.random(slots),
        rng.random(slots) ** 3,
    )
    tint = 0.75 + 0.25 * rng.random((slots, 3))
    along = np.mod(turn - start[ring], 2 * np.pi)
    lines = np.exp(-((place - ring - 0.5) ** 2) * 14) * (along < length[ring]) * (0.15 + bright[ring])
    sky = gradient(height, width, [(0, (10, 14, 34)), (1, (44, 52, 84))])
    sky = sky + lines[..., None] * tint[ring].astype(np.float32)
    return to_bytes(grain(rng, ridges(rng, sky, [(16, 18, 30), (6, 7, 12)], 0.8), 0.014))


def dome(rng: np.random.Generator, height: int, width: int) -> Array:
    """The observatory's dome as a simply lit solid, before the evening sky."""
    picture = gradient(height, width, [(0, (52, 74, 122)), (0.7, (206, 178, 164)), (1, (236, 206, 176))])
    picture = ridges(rng, picture, [(106, 98, 126), (70, 72, 92)], 0.66)
    y, x = grid(height, width)
    aspect = width / height
    cx, cy, radius = (0.36 + 0.28 * rng.random()) * aspect, 0.60, 0.30
    dx, dy = (x * aspect - cx) / radius, (y - cy) / radius
    r = np.sqrt(dx**2 + dy**2)
    z = np.sqrt(np.clip(1 - r**2, 0, 1))
    plates = 0.96 + 0.04 * np.sign(np.sin(np.arctan2(dx, z + 1e-6) * 14)) + 0.04 * fractal(rng, height, width, 1.2)
    light = np.clip(0.28 + 0.75 * (z * 0.55 - dx * 0.45 - dy * 0.5), 0.12, 1.1) * plates
    shell = light[..., None] * np.array([0.93, 0.92, 0.90], dtype=np.float32)
    slit = (np.abs(dx - 0.18) < 0.10) & (dy < -0.1)
    shell = mix(shell, (0.05, 0.05, 0.08), slit.astype(np.float32) * 0.92)
    picture = mix(picture, shell, np.clip((1 - r) * height * radius / 1.5, 0, 1) * (dy < 0))
    wall = (np.abs(dx) < 0.97) & (dy >= 0) & (dy < 0.75)
    bricks = 0.86 + 0.14 * fractal(rng, height, width, 0.7)
    stone = (bricks * np.clip(0.85 - 0.45 * dx, 0.2, 1.1))[..., None] * np.array([0.66, 0.60, 0.54], dtype=np.float32)
    return to_bytes(grain(rng, mix(picture, stone, wall.astype(np.float32)), 0.016))


def instrument(rng: np.random.Generator, height: int, width: int) -> Array:
    """A telescope tube on its mount: shaded cylinders before a plain wall."""
    picture = gradient(height, width, [(0, (206, 200, 192)), (1, (150, 144, 140))])
    picture *= 0.94 + 0.08 * fractal(rng, height, width, 1.4)[..., None]
    y, x = grid(height, width)
    aspect = width / height
    turn = -0.9 + 0.5 * rng.random()
    u = (x * aspect - 0.5 * aspect) * np.cos(turn) + (y - 0.45) * np.sin(turn)
    v = -(x * aspect - 0.5 * aspect) * np.sin(turn) + (y - 0.45) * np.cos(turn)
    tints = [(0.90, 0.89, 0.86), (0.16, 0.17, 0.20), (0.46, 0.32, 0.55), (0.78, 0.66, 0.36)]
    parts = [
        (-0.45, 0.40, 0.105, 0),
        (-0.50, -0.43, 0.125, 1),
        (0.36, 0.52, 0.055, 1),
        (-0.05, 0.03, 0.118, 2),
    ]
    post = np.abs(x * aspect - 0.5 * aspect) / 0.06
    column = ((post < 1) & (y > 0.5)).astype(np.float32)
    picture = mix(picture, np.asarray(tints[1]) * np.sqrt(np.clip(1 - post**2, 0, 1))[..., None] * 1.3 + 0.06, column)
    for low, high, radius, tint in parts:
        across = v / radius
        shine = 0.25 + 0.75 * np.clip(np.sqrt(np.clip(1 - across**2, 0, 1)) - across * 0.35, 0, 1.2)
        alpha = ((np.abs(across) < 1) & (u > low) & (u < high)).astype(np.float32)
        picture = mix(picture, np.asarray(tints[tint], dtype=np.float32) * shine[..., None], alpha)
    return to_bytes(grain(rng, picture, 0.012))


def rock(rng: np.random.Generator, height: int, width: int) -> Array:
    """Weathered stone: texture everywhere."""
    relief, stain = fractal(rng, height, width, 1.35), fractal(rng, height, width, 1.9)
    slope = np.gradient(relief, axis=1) * min(width, 1350) / 9
    value = np.clip(0.5 + 0.4 * (relief - 0.5) + 0.22 * slope, 0, 1)
    tint = np.array([0.72, 0.66, 0.60], dtype=np.float32) + (stain[..., None] - 0.5) * np.array(
        [0.3, 0.18, 0.02], dtype=np.float32
    )
    return to_bytes(grain(rng, value[..., None] * tint * 1.25, 0.03))


def planting(rng: np.random.Generator, height: int, width: int) -> Array:
    """A dense bed of leaves and flowers: the hardest picture to shrink."""
    picture = np.zeros((height, width, 3), dtype=np.float32) + np.array([0.07, 0.12, 0.06], dtype=np.float32)
    unit = max(6, width // 90)
    dy, dx = np.ogrid[-unit : unit + 1, -unit : unit + 1]
    leaves = []
    for turn in np.linspace(0, np.pi, 12, endpoint=False):
        u, v = dx * np.cos(turn) + dy * np.sin(turn), -dx * np.sin(turn) + dy * np.cos(turn)
        body = np.clip(1.2 - (u / unit) ** 2 - (v / (unit * 0.34)) ** 2, 0, 1)
        leaves.append((np.clip(body * 3, 0, 1), 0.75 + 0.25 * np.exp(-(v**2) / max(1, unit / 8))))
    for number in range(5200):
        alpha, vein = leaves[int(rng.integers(12))]
        y, x = int(rng.integers(-unit, height)), int(rng.integers(-unit, width))
        y0, x0, y1, x1 = max(0, y), max(0, x), min(height, y + alpha.shape[0]), min(width, x + alpha.shape[1])
        if y1 <= y0 or x1 <= x0:
            continue
        cut = (slice(y0 - y, y1 - y), slice(x0 - x, x1 - x))
        depth = 0.35 + 0.65 * number / 5200
        tint = np.array([0.24, 0.46, 0.2]) if rng.random() < 0.93 else np.array([0.62, 0.42, 0.74])
        tint = tint * (0.6 + 0.7 * rng.random()) * depth
        patch = picture[y0:y1, x0:x1]
        a = alpha[cut][..., None]
        picture[y0:y1, x0:x1] = patch * (1 - a) + tint * vein[cut][..., None] * a
    return to_bytes(grain(rng, picture, 0.02))


def hall(rng: np.random.Generator, height: int, width: int) -> Array:
    """The planetarium's hall: a glowing vault over dark rows of seats."""
    y, x = grid(height, width)
    aspect = width / height
    r = np.sqrt((x * aspect - 0.5 * aspect) ** 2 + (y - 0.95) ** 2)
    glow = np.clip(1.15 - r, 0, 1)
    hue = np.array(HUES[int(rng.integers(len(HUES)))], dtype=np.float32)
    vault = (glow**1.5)[..., None] * hue * 0.9 * (0.5 + 0.7 * fractal(rng, height, width, 1.8)[..., None])
    vault = stars(rng, vault.astype(np.float32), 1500, 0.7)
    for row in range(7):
        top = 0.66 + row * 0.055
        seats = 0.5 + 0.5 * np.cos((x * aspect * (26 - row * 2.2) + row * 0.5) * np.pi)
        line = top - 0.022 * np.clip(seats * 1.6, 0, 1)
        alpha = np.clip((y - line) * height / 2, 0, 1)
        shade = (0.035 + 0.02 * row) * (0.6 + 0.6 * seats * np.ones_like(y))
        vault = mix(vault, (shade[..., None] * np.array([1.0, 0.86, 1.05])).astype(np.float32), alpha)
    return to_bytes(grain(rng, vault, 0.016))


MAKERS: dict[str, Maker] = {
    "night": night_sky, "nebula": nebula, "dusk": dusk, "moon": moon, "planet": planet, "trails": star_trails,
    "dome": dome, "instrument": instrument, "rock": rock, "planting": planting, "hall": hall,
}  # fmt: skip


def photograph(kind: str, seed: int, width: int, height: int) -> Array:
    """A picture of a kind, 8-bit RGB. Larger ones are enlarged from 1,024 px and given new grain."""
    rng = np.random.default_rng([8640, seed])
    if width <= _NATIVE_WIDTH:
        return MAKERS[kind](rng, height, width)
    small = MAKERS[kind](rng, round(height * _NATIVE_WIDTH / width), _NATIVE_WIDTH)
    large = enlarge(small.astype(np.float32) / np.float32(255), height, width)
    return to_bytes(grain(rng, large, 0.012))
