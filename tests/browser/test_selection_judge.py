"""Chromium is the judge: our choice equals its `currentSrc` on generated pages, on four screens."""

from __future__ import annotations

import http.server
import random
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass

import pytest
from PIL import Image
from playwright.sync_api import Browser

from ivory_thistle.core.formats.tiers import shown_by
from ivory_thistle.core.references.addresses import join
from ivory_thistle.core.references.markup import escape_attribute
from ivory_thistle.core.selection.candidates import SourceElement, choose
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from pictures import encoded
from recording import Recording

pytestmark = pytest.mark.recorded
ORIGIN, OTHER = "http://site.invalid", "http://other.invalid"
"""What stands in records for the judge's address, and for the same by another name."""
PAGES = 420
PAGE = "/a/page.html"

CHROMIUM_SHOWS = shown_by("avif") | {"image/jxl"}
"""Debian's Chromium shows JPEG XL too."""

MEDIA = [
    "(min-width: 800px)", "(max-width: 500px)", "(min-width: 30em) and (max-width: 90em)", "print", "not all",
    "screen and (orientation: portrait)", "(orientation: landscape)", "(min-resolution: 2dppx)", "(resolution >= 1.5x)",
    "(400px <= width <= 900px)", "(width > 1000px)", "not (width < 1000px)", "(min-width: 800px) or (orientation: portrait)",
    "(unknown: 1)", "not (unknown: 1)", "(prefers-color-scheme: dark)", "(prefers-color-scheme: light)", "",
    "(min-aspect-ratio: 16/10)", "only screen and (max-width: 1000px)", "(min-width: calc(20em + 300px))", "(hover)",
    "(width) and (height)", "(max-width: 500px), (min-width: 1800px)", "screen and", "(min-width: 50vw)", "(color)",
    "((min-width: 600px) and (not (orientation: portrait)))", "(height <= 900px)", "(device-width > 900px)",
]  # fmt: skip
LENGTHS = [
    "100vw", "50vw", "33.3vw", "300px", "20em", "calc(100vw - 40px)", "calc((100vw - 3rem) / 2)", "min(600px, 90vw)",
    "max(20vw, 200px)", "clamp(200px, 50vw, 700px)", "80%", "-5px", "10vmax", "50vh", "5cm", "0", "2in", "auto", "1e2px",
]  # fmt: skip
TYPES = [
    None,
    None,
    None,
    "image/avif",
    "image/webp",
    "image/jpeg",
    "image/jxl",
    "image/foo",
    "IMAGE/WebP",
    "",
    "image/png; q=1",
]


@dataclass(frozen=True)
class Case:
    """One generated page: an `img`, perhaps in a `picture`, perhaps under a `base`."""

    base: str | None
    src: str | None
    srcset: str | None
    sizes: str | None
    sources: tuple[SourceElement, ...]

    def html(self) -> str:
        def attributes(**values: str | None) -> str:
            return "".join(f' {k}="{escape_attribute(v)}"' for k, v in values.items() if v is not None)

        sources = "".join(
            f"<source{attributes(srcset=s.srcset, sizes=s.sizes, media=s.media, type=s.type)}>" for s in self.sources
        )
        img = f"<img{attributes(src=self.src, srcset=self.srcset, sizes=self.sizes)}>"
        base = f"<base{attributes(href=self.base)}>" if self.base else ""
        return f"<!doctype html>{base}<picture>{sources}{img}</picture>" if sources else f"<!doctype html>{base}{img}"


def generated(seed: int, other_host: str) -> Case:
    """A page from a fixed seed."""
    rng = random.Random(seed)

    def srcset(position: str) -> str | None:
        # Names are never shared between cases: Chromium prefers a denser picture that it has already.
        name = f"{seed}{position}"
        kind = rng.choice(["w", "w", "w", "x", "x", "bare", "mixed", "odd", "none"])
        widths = rng.sample([160, 320, 480, 640, 800, 1024, 1280, 1600, 1920, 2560, 3200], rng.randint(1, 5))
        if kind == "w":
            return ", ".join(f"{name}-{w}.jpg {w}w" for w in widths)
        if kind == "x":
            return ", ".join(
                f"{name}-{x}x.jpg {x}x" for x in rng.sample([0.5, 1, 1.5, 2, 2.5, 3, 4], rng.randint(1, 4))
            )
        if kind == "bare":
            return f"{name}-bare.jpg"
        if kind == "mixed":
            return f"{name}-a.jpg 1x, {name}-b.jpg {widths[0]}w, {name}-c.jpg 2x"
        if kind == "odd":
            return rng.choice(
                [
                    f"{name}.jpg 0w, {name}-2.jpg 2x",
                    f"{name}.jpg 2x 3x, {name}-o.jpg",
                    "",
                    f" ,{name}-y.jpg 1.0x,,{name}-z.jpg 1x",
                    f"{name}-h.jpg 100w 50h",
                    f"{name}-q.jpg foo",
                ]
            )
        return None

    def sizes() -> str | None:
        if rng.random() < 0.25:
            return None
        parts = [f"{rng.choice(MEDIA[:12])} {rng.choice(LENGTHS[:12])}" for _ in range(rng.randint(0, 2))]
        return ", ".join([*parts, rng.choice(LENGTHS)])

    sources = tuple(
        SourceElement(srcset(f"s{n}"), sizes(), rng.choice([None, *MEDIA]), rng.choice(TYPES))
        for n in range(rng.choice([0, 0, 1, 2, 3]))
    )
    base = rng.choice([None, None, "/deep/er/", f"{other_host}/x/", "../up/"])
    return Case(base, rng.choice(["plain.jpg", "plain.jpg", None, ""]), srcset("i"), sizes(), sources)


def ours(case: Case, origin: str, screen: Screen) -> str:
    """The absolute address that we say is loaded; empty for none."""
    page = origin + PAGE
    base = join(page, case.base) if case.base else page
    choice = choose(case.src, case.srcset, case.sizes, case.sources, screen, CHROMIUM_SHOWS)
    return (join(base or page, choice.address) or "") if choice else ""


SHOW_EACH = """async (texts) => {
    const show = async (text) => {
        const frame = document.createElement('iframe');
        frame.style.cssText = 'position:fixed;inset:0;border:0;width:100vw;height:100vh;visibility:hidden';
        frame.srcdoc = text;
        await new Promise((done) => { frame.onload = done; document.body.append(frame); });
        const chosen = frame.contentDocument.images[0].currentSrc;
        frame.remove();
        return chosen;
    };
    const chosen = [];
    while (texts.length) chosen.push(...await Promise.all(texts.splice(0, 48).map(show)));
    return chosen;
}"""
"""A frame of the screen's size a case; its load event waits for its picture."""

PIXEL = encoded(Image.new("RGB", (1, 1)), "PNG")


class Judge(http.server.BaseHTTPRequestHandler):
    """The empty page; every other address is a picture (a refused one would have no `currentSrc`)."""

    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        page = self.path == PAGE
        body = b"<!doctype html><body style=margin:0;overflow:hidden>" if page else PIXEL
        self.send_response(200)
        self.send_header("content-type", "text/html" if page else "image/png")
        self.send_header("content-length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *arguments: object) -> None:
        pass


@contextmanager
def judging() -> Iterator[str]:
    """The judge's address."""
    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Judge) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_address[1]}"
        server.shutdown()


def chromiums(browser: Browser, screen: Screen) -> list[str]:
    """Its choice on all generated pages."""
    size = {"width": screen.width, "height": screen.height}
    emulated = {"viewport": size, "device_scale_factor": screen.density, "has_touch": screen.touch}
    with judging() as origin:
        other = origin.replace("127.0.0.1", "localhost")
        context = browser.new_context(**emulated)  # type: ignore[arg-type]
        page = context.new_page()
        page.goto(origin + PAGE)
        chosen = page.evaluate(SHOW_EACH, [generated(seed, other).html() for seed in range(PAGES)])
        context.close()
    return [address.replace(origin, ORIGIN).replace(other, OTHER) for address in chosen]


@pytest.mark.parametrize("screen", DEFAULT_SCREENS, ids=lambda s: s.name)
def test_our_choice_is_chromiums(request: pytest.FixtureRequest, recording: Recording, screen: Screen) -> None:
    """All generated pages on one screen: every address equal."""
    theirs = recording.answer("currentSrc", lambda: chromiums(request.getfixturevalue("browser"), screen))
    cases = [generated(seed, OTHER) for seed in range(PAGES)]
    expected = [ours(c, ORIGIN, screen) for c in cases]
    assert [(c.html(), t, o) for c, t, o in zip(cases, theirs, expected, strict=True) if t != o] == []
