"""Hostile input by mutation: published files changed at random, given to everything that reads what comes from outside.

`python -m tests.fuzz MINUTES` goes on for so long and keeps what was found; the tests try a fixed, seeded part.
"""

from __future__ import annotations

import io
import json
import os
import random
import re
import resource
import sys
import tempfile
import threading
import time
import zipfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path

from ivory_thistle.core.budgets.policy import Policy
from ivory_thistle.core.errors import PictureError, UnusableInput
from ivory_thistle.core.findings.audit import audit_site
from ivory_thistle.core.formats.tiers import shown_by
from ivory_thistle.core.images.facts import ImageFacts, read_facts
from ivory_thistle.core.images.kind import look_of, pixels_to_judge
from ivory_thistle.core.images.vector import ballast_bytes, smaller_svg
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.joining import read_site
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES
from ivory_thistle.core.references.site import SiteFile
from ivory_thistle.core.references.source import read_css_source, read_html_source
from ivory_thistle.core.references.srcset import parse_srcset
from ivory_thistle.core.rewriting.delivery import Delivery, NewFile
from ivory_thistle.core.rewriting.site import Limits, SiteRewriter
from ivory_thistle.core.selection.candidates import source_size
from ivory_thistle.core.selection.document import Document
from ivory_thistle.core.selection.loads import PageOnScreens
from ivory_thistle.core.selection.media import matches_media
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS
from ivory_thistle.intake.archive import unpack
from ivory_thistle.intake.crawl import Crawler
from ivory_thistle.intake.crawling import CrawlOptions
from ivory_thistle.intake.har import read_har, sanitize
from ivory_thistle.workflows.archived import requests_of
from ivory_thistle.workflows.clock import TookTooLongError, in_time
from ivory_thistle.workflows.page_readings import reading_of
from ivory_thistle.workflows.workers import Call, Workers

SECONDS = 10.0
"""What one input of up to some 100 kB may take, on a busy machine."""
MEMORY = 1_500_000_000
LONGEST = 60_000
PHONE, DESKTOP = DEFAULT_SCREENS[0], DEFAULT_SCREENS[3]


def _page(data: bytes, sheet: bytes = b"p{background:url(a.png)}") -> None:
    """A page read, asked what it loads, audited and rewritten, strictly: nothing is caught on the way."""
    contents = {"index.html": data, "s.css": sheet}
    picture = ImageFacts("png", 400, 300, 9000, "a" * 64)
    files = [SiteFile(path, path, len(content)) for path, content in contents.items()]
    files += [SiteFile(f"{name}.png", picture.sha256, 9000, picture) for name in "ab"]

    def failed(path: str, error: Exception) -> None:
        raise error

    known = {"index.html": reading_of("index.html", data, LAZY_ATTRIBUTES)}
    site = read_site(files, contents.__getitem__, known=known.get, on_failure=failed)
    page = PageOnScreens("index.html", site, contents.__getitem__)
    for screen in (PHONE, DESKTOP):
        page.loads(screen, shown_by("avif"))
    audit_site(site, contents.__getitem__, [], [], Policy(), on_failure=failed)
    new = tuple(
        NewFile(
            path=f"a-{width}.webp",
            tier="webp",
            format="webp",
            width=width,
            height=width * 3 // 4,
            bytes=3000,
            sha256=f"{width:064}",
        )
        for width in (200, 400)
    )
    rewriter = SiteRewriter(site, {"a.png": Delivery("a.png", 400, 300, new, 400)}, contents.__getitem__)
    done = rewriter.rewrite(Limits())
    for fault in done.faults:
        assert "can't be followed" not in fault.message, fault.message
    for text in done.texts.values():
        Document(read_html_source(text))


def _html(data: bytes) -> None:
    _page(data)


def _css(data: bytes) -> None:
    source = read_css_source(data)
    read_css(source.text, source.decode)
    _page(b"<link rel=stylesheet href=s.css><p class=a id=b>x<img src=a.png class=c>", data)


def _values(data: bytes) -> None:
    text = data.decode("utf-8", "replace")
    parse_srcset(text)
    matches_media(text, PHONE)
    assert source_size(text, PHONE) >= 0
    quoted = text.replace("&", "&amp;").replace('"', "&quot;")
    _page(
        f'<picture><source media="{quoted}" srcset="a.png"><img srcset="{quoted}" sizes="{quoted}"></picture>'.encode()
    )


def _svg(data: bytes) -> None:
    read_facts("a.svg", data)
    ballast_bytes(data)
    with suppress(PictureError):
        smaller_svg(data)


def _picture(data: bytes) -> None:
    facts, _ = read_facts("a.png", data)
    if facts:
        look_of(pixels_to_judge(data, facts), facts)


def _har(data: bytes) -> None:
    with tempfile.TemporaryDirectory() as folder, suppress(UnusableInput):
        place, bare = Path(folder) / "a.har", Path(folder) / "b.har"
        place.write_bytes(data)
        sanitize(place, bare)
        requests_of(read_har(bare, Path(folder) / "out"))


def _zip(data: bytes) -> None:
    with tempfile.TemporaryDirectory() as folder, suppress(UnusableInput):
        place = Path(folder) / "a.zip"
        place.write_bytes(data)
        unpack(place, Path(folder) / "in" / "out")
        assert {p.name for p in Path(folder).iterdir()} <= {"a.zip", "in"}


def _web(data: bytes) -> None:
    """The same bytes as robots.txt, sitemap, page, style sheet and picture of a live site."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            kind = {"css": "text/css", "png": "image/png", "xml": "text/xml", "txt": "text/plain"}
            self.send_response(200)
            self.send_header("content-type", kind.get(self.path.rpartition(".")[2], "text/html"))
            self.send_header("content-length", str(len(data)))
            self.end_headers()
            self.wfile.write(data)

        def log_message(self, *_: object) -> None:
            """Silent."""

    with ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server, tempfile.TemporaryDirectory() as folder:
        threading.Thread(target=server.serve_forever, args=(0.01,), daemon=True).start()
        start = f"http://127.0.0.1:{server.server_port}/"
        options = CrawlOptions(start, pages=3, allow_private=True)
        Crawler(options, Path(folder) / "site").run()
        server.shutdown()


TARGETS: dict[str, Callable[[bytes], None]] = {
    "html": _html, "css": _css, "values": _values, "svg": _svg, "picture": _picture, "har": _har, "zip": _zip,
    "web": _web,
}  # fmt: skip

_WORDS: dict[str, tuple[str, ...]] = {
    "html": (
        "<!--",
        "-->",
        "<p",
        "<img srcset='a.png 2x' sizes='",
        "<picture>",
        "</picture>",
        "<source ",
        "<svg>",
        "<style>",
        "<script>",
        "<template>",
        "<table>",
        "<base href=",
        "&#",
        "&amp",
        "<![CDATA[",
        "\x00",
        "style='background:url(",
        "<math>",
        "<select>",
        "<plaintext>",
        "<link rel=preload as=image imagesrcset=",
        '"',
        "'",
        "\ufeff",
    ),
    "css": (
        "url(",
        'url("a.png"',
        "image-set(",
        "{",
        "}",
        "(",
        "[",
        "/*",
        "*/",
        "@import ",
        "@media ",
        "var(--a)",
        "--a:",
        "\\",
        ":not(",
        ":has(",
        "calc(",
        "!important",
        "@layer a{",
        "background:",
        ",",
        "a>b~c+d",
        "@container (width>1px){",
    ),
    "values": (
        "(",
        ")",
        ",",
        " 2x",
        " 100w",
        "calc(",
        "min(",
        "max-width:",
        "and ",
        "not ",
        "or ",
        "1e999",
        "vw",
        "auto",
        "/",
    ),
    "svg": (
        "<!--",
        "<metadata>",
        "<defs/>",
        "<a:b>",
        "<use href='#a'/>",
        "<!ENTITY a '&b;&b;'>",
        "<filter>",
        "width='1.2.3'",
        "viewBox='0 0 1e999 -1'",
        "d='M0.0001 1'",
        "<![CDATA[",
        "<style>",
        "on=''",
        "transform='scale(1e99)'",
    ),
    "har": (
        '"',
        "{",
        "[",
        "}",
        "]",
        ",",
        ":",
        "1e999",
        "null",
        "\\ud800",
        '"pages":5',
        '"text":"',
        '"url":"http://[bad"',
        "-1",
    ),
    "web": (
        "Disallow: /*$",
        "User-agent: *",
        "Sitemap: http://[bad",
        "<loc>http://a..b/</loc>",
        "<urlset>",
        "<sitemapindex>",
        "Crawl-delay: 1e9",
        "<a href='//[::1'>",
        "<link rel=canonical href='http://\u2028'>",
        "<base href='http:'>",
    ),
}


@dataclass(frozen=True)
class Found:
    """An input that was not taken well."""

    target: str
    words: str
    data: bytes


def mutated(seeds: list[bytes], words: tuple[str, ...], dice: random.Random) -> bytes:
    """A seed with a few things done to it."""
    data = bytearray(dice.choice(seeds)[:LONGEST])
    for _ in range(dice.choice((1, 1, 2, 4, 16))):
        at = dice.randrange(len(data) + 1)
        end = min(len(data), at + dice.choice((1, 2, 8, 64, 512)))
        match dice.randrange(8):
            case 0:
                data[at:end] = dice.randbytes(end - at)
            case 1:
                del data[at:end]
            case 2:
                data[at:at] = data[at:end] * dice.choice((2, 10, 500))
            case 3 | 4 if words:
                data[at:at] = dice.choice(words).encode() * dice.choice((1, 1, 3, 200, 4000))
            case 5:
                data[at:at] = dice.choice(seeds)[: dice.randrange(2000)]
            case 6:
                data[at:at] = str(dice.choice((0, -1, 2**31, 10**30, 1e308))).encode()
            case _:
                del data[at:]
        del data[LONGEST:]
    return bytes(data)


def attempt(target: str, corpus: str, seed: int, count: int) -> list[Found]:
    """Some inputs, one after the other; those that raised something, or took too long."""
    seeds = [path.read_bytes() for path in sorted(Path(corpus, target).iterdir())]
    found = []
    for number in range(seed, seed + count):
        data = mutated(seeds, _WORDS.get(target, ()), random.Random(f"{target} {number}"))
        Path(corpus, f"{target}.now").write_bytes(data)
        # CPU time: a busy machine makes no input slow.
        begun = time.process_time()
        words = ""
        try:
            # The alarm comes at three times what is allowed here, for inputs that would never end.
            with in_time(0):
                TARGETS[target](data)
        except TookTooLongError as error:
            words = str(error)
        except UnusableInput:
            pass  # Refused, with words.
        except Exception as error:
            words = f"{type(error).__name__}: {error}"[:300]
        took = time.process_time() - begun
        if not words and took > SECONDS:
            words = f"It took {took:.1f} s."
        if words:
            found.append(Found(target, f"{words} (input {number})", data))
    peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss * 1024
    Path(corpus, f"{target}-{os.getpid()}.peak").write_text(str(peak))
    return found


def tried(corpus: Path, target: str, seed: int, count: int, part: int = 25) -> Iterator[Found]:
    """The same in worker processes with limits, some inputs at a time."""
    calls = (
        Call(at, attempt, (target, str(corpus), at, min(part, seed + count - at)), SECONDS * part, MEMORY)
        for at in range(seed, seed + count, part)
    )
    with Workers(1) as workers:
        for outcome in workers.run(calls):
            if outcome.error:
                data = (corpus / f"{target}.now").read_bytes()
                yield Found(target, f"{outcome.error} (inputs from {outcome.key})", data)
            else:
                yield from outcome.value


@contextmanager
def corpora() -> Iterator[Path]:
    """A folder of seeds for each target, from published test files and a few lines of our own."""
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        seeds = {target: list(_seeds(target)) for target in TARGETS}
        _add_published(folder, seeds)
        for target, several in seeds.items():
            (folder / target).mkdir()
            for number, data in enumerate(several):
                (folder / target / f"{number:04}").write_bytes(data)
        yield folder


def _add_published(folder: Path, seeds: dict[str, list[bytes]]) -> None:
    from registries import debian_package, members, npm_package, python_source

    html = members(python_source("html5lib", "1.1", folder), r"tree-construction/.*\.dat$")
    seeds["html"] += [case for data in html for case in re.findall(rb"#data\n(.*?)\n#errors", data, re.DOTALL)][::7]
    css = members(python_source("tinycss2", "1.5.1", folder), r"css-parsing-tests/.*\.json$")
    for data in css:
        seeds["css"] += [s.encode("utf-8", "replace") for s in json.loads(data)[::2] if isinstance(s, str)]
    srcset = members(npm_package("parse-srcset", "1.0.2", folder), r"tests/unit/ps\.js$")
    seeds["values"] += re.findall(rb"srcset: '([^']+)'", srcset[0])
    images = r"/Tests/images/.*\.(jpe?g|png|webp|gif|bmp|avif|ico|tiff?)$"
    pictures = members(python_source("pillow", "13.0.0", folder), images)
    seeds["picture"] += [data for data in pictures if len(data) < 40_000]
    icons = debian_package("tango-icon-theme", folder, "*/scalable/*.svg")
    seeds["svg"] += [path.read_bytes() for path in sorted(icons.rglob("*.svg")) if not path.is_symlink()][:40]


def _seeds(target: str) -> Iterator[bytes]:
    """A sound input of each kind."""
    page = b"<!doctype html><base href=.><title>x</title><style>p{background:image-set('a.png' 1x)}</style><p>x"
    page += b"<picture><source media='(width>9px)' srcset='b.png 2x'>"
    page += b"<img src=a.png srcset='a.png 400w' sizes=50vw></picture>"
    sitemap = b'<?xml version="1.0"?><urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">'
    sitemap += b"<url><loc>/a</loc></url></urlset>"
    if target in ("html", "web"):
        yield page
    if target == "web":
        yield sitemap
        yield b"User-agent: *\nDisallow: /x\nSitemap: /sitemap.xml\n"
        yield b"<a href=/b><link rel=canonical href=/c>"
    if target == "css":
        yield b"@media (width>1px){.a{background:url(a.png) no-repeat,image-set(url(b.png) 2x)}}"
    if target == "values":
        yield b"(max-width: 600px) calc(100vw - 20px), 50vw"
        yield b"screen and (min-width:1px), not all"
        yield b"a.png 1x, b.png 2x"
    if target == "svg":
        yield b'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><!-- a --><path d="M1.23456 2"/></svg>'
    if target == "picture":
        yield b"\x89PNG\r\n\x1a\n"
    if target == "har":
        content = {"mimeType": "text/html", "text": "<img src=a.png>", "size": 15}
        picture = {"mimeType": "image/png", "text": "aGk=", "encoding": "base64"}
        entries = [
            {"pageref": "p", "request": {"url": f"http://a.example/{name}"}, "response": {"status": 200, "content": c}}
            for name, c in (("", content), ("a.png", picture))
        ]
        yield json.dumps({"log": {"version": "1.2", "pages": [{"id": "p", "title": "t"}], "entries": entries}}).encode()
    if target == "zip":
        for way in (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA):
            packed = io.BytesIO()
            with zipfile.ZipFile(packed, "w", way) as archive:
                archive.writestr("site/index.html", page)
                archive.writestr("site/ä/../b.css", b"p{}" * 99)
            yield packed.getvalue()


def main(minutes: float) -> int:
    """Tries inputs by turns until the time is over; 1 where any was not taken well."""
    kept = Path(tempfile.mkdtemp(prefix="thistle-fuzz-"))
    ends = time.monotonic() + minutes * 60
    seed, bad, count = random.SystemRandom().randrange(10**9), 0, 0
    with corpora() as corpus:
        while time.monotonic() < ends:
            for target in TARGETS:
                for found in tried(corpus, target, seed, 100):
                    bad += 1
                    (kept / f"{target}-{bad}").write_bytes(found.data)
                    print(f"{target}: {found.words}; kept as {kept / f'{target}-{bad}'}", flush=True)
                count += 100
            seed += 100
        peak = max(int(place.read_text()) for place in corpus.glob("*.peak"))
    first = seed - count // len(TARGETS)
    print(f"{count:,} inputs from {first} on, {bad} not taken well; a process took {peak / 1e6:,.0f} MB at most.")
    return 1 if bad else 0


if __name__ == "__main__":
    sys.exit(main(float(sys.argv[1]) if len(sys.argv) > 1 else 5))
