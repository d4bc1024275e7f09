"""Chromium shows what was made as Pillow decodes it, and plays animations as they were timed."""

from __future__ import annotations

import base64
import io

import numpy as np
import pytest
from PIL import Image, ImageDraw
from playwright.sync_api import Page

from ivory_thistle.core.formats.avif import AVIF
from ivory_thistle.core.formats.encoder import Encoder, Settings
from ivory_thistle.core.formats.jpeg import JPEG
from ivory_thistle.core.formats.png import PNG
from ivory_thistle.core.formats.table import FORMATS
from ivory_thistle.core.formats.webp import WEBP
from ivory_thistle.core.images.pixels import Pixels
from ivory_thistle.core.treatment.ladder import Step
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.core.treatment.treat import treat_image
from pictures import as_if_heavy, encoded, facts_of, opened, photograph, translucent_graphic

SECURE = "http://127.0.0.1:9/"
"""Never asked for really; image decoders are for secure places only."""
PIXELS = """async (url) => {
  const image = new Image();
  image.src = url;
  await image.decode();
  const canvas = new OffscreenCanvas(image.naturalWidth, image.naturalHeight);
  const pen = canvas.getContext('2d', {willReadFrequently: true});
  pen.drawImage(image, 0, 0);
  const data = pen.getImageData(0, 0, canvas.width, canvas.height).data;
  let text = '';
  for (let at = 0; at < data.length; at += 8192) text += String.fromCharCode(...data.subarray(at, at + 8192));
  return [canvas.width, canvas.height, btoa(text)];
}"""
FRAMES = """async ([url, type]) => {
  const decoder = new ImageDecoder({data: (await (await fetch(url)).arrayBuffer()), type});
  await decoder.tracks.ready;
  await decoder.completed;
  const track = decoder.tracks.selectedTrack;
  const delays = [];
  for (let n = 0; n < track.frameCount; n++) {
    const {image} = await decoder.decode({frameIndex: n});
    delays.push(image.duration / 1000);
    image.close();
  }
  return [track.repetitionCount === Infinity ? 0 : track.repetitionCount + 1, delays];
}"""
WAYS = {
    "jpeg": (JPEG, Settings(80)),
    "jpeg 4:4:4": (JPEG, Settings(80, "4:4:4")),
    "png": (PNG, Settings()),
    "png palette": (PNG, Settings(90, palette=True)),
    "webp": (WEBP, Settings(80)),
    "webp lossless": (WEBP, Settings()),
    "webp near": (WEBP, Settings(near=40)),
    "avif": (AVIF, Settings(60)),
    "avif 4:4:4": (AVIF, Settings(60, "4:4:4")),
    "avif 10 bit": (AVIF, Settings(60, depth=10)),
    "avif lossless": (AVIF, Settings()),
}


def url(data: bytes, format_: str) -> str:
    """A data: address."""
    return f"data:{FORMATS[format_].mime};base64,{base64.b64encode(data).decode()}"  # type: ignore[index]


@pytest.fixture
def secure(page: Page) -> Page:
    """An empty page at a secure address."""
    page.route(SECURE, lambda route: route.fulfill(body="<p>", content_type="text/html"))
    page.goto(SECURE)
    return page


@pytest.mark.parametrize("name", WAYS)
def test_the_browser_decodes_the_same_pixels(secure: Page, name: str) -> None:
    """Opaque and, where the format has it, translucent; mean difference under 1.5 levels of 256."""
    encoder, settings = WAYS[name]
    for image in (photograph("chelsea").resize((220, 146)), translucent_graphic(120)):
        pixels = Pixels(np.ascontiguousarray(np.asarray(image)))
        if pixels.has_alpha and (not encoder.can.alpha or settings.depth == 10):
            continue
        compare(secure, encoder, encoder.encode(pixels, settings).data)


def compare(page: Page, encoder: Encoder, data: bytes) -> None:
    """Chromium's canvas and Pillow's decode of one file."""
    width, height, text = page.evaluate(PIXELS, url(data, encoder.can.format))
    theirs = np.frombuffer(base64.b64decode(text), np.uint8).reshape(height, width, 4).astype(int)
    ours = np.asarray(opened(data).convert("RGBA")).astype(int)
    assert ours.shape == theirs.shape
    # A canvas keeps colours times alpha: nothing can be said of what does not show.
    shown = ours[:, :, 3:] / 255
    assert np.abs((ours - theirs)[:, :, :3] * shown).mean() < 1.5
    assert np.abs((ours - theirs)[:, :, 3]).mean() < 0.5


@pytest.mark.parametrize(("options", "plays"), [({"loop": 0}, 0), ({}, 1), ({"loop": 2}, 3)])
def test_the_browser_times_animations_as_before(secure: Page, options: dict[str, int], plays: int) -> None:
    """Frames, their delays and how often they play, of the GIF and of what was made of it."""
    frames = []
    for n in range(6):
        image = Image.new("RGB", (160, 100), "#203040")
        ImageDraw.Draw(image).ellipse([10 + n * 20, 30, 50 + n * 20, 70], fill="#e6be5a")
        frames.append(image)
    delays = [40 + 20 * n for n in range(6)]
    gif = encoded(frames[0], "GIF", save_all=True, append_images=frames[1:], duration=delays, **options)
    assert secure.evaluate(FRAMES, [url(gif, "gif"), "image/gif"]) == [plays, delays]
    facts = as_if_heavy(facts_of(gif, "x.gif"))
    asked = (Rules(formats=(tier,)) for tier in ("webp", "avif"))
    made = [treat_image(gif, facts, [Step(160)], rules, kind="animation") for rules in asked]
    files = [file for one in made for file in one.renditions]
    assert {file.tier for file in files} == ({"webp"} if plays else {"webp", "avif"})
    for file in files:
        assert secure.evaluate(FRAMES, [url(file.data, file.format), FORMATS[file.format].mime]) == [plays, delays], (
            file.tier
        )
        assert Image.open(io.BytesIO(file.data)).n_frames == 6  # type: ignore[attr-defined]
