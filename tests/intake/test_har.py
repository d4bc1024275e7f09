"""HAR files of any browser: pages, image requests with their sizes on the wire, bodies; nothing private is kept."""

from __future__ import annotations

import base64
import json
from pathlib import Path

import pytest
from playwright.async_api import async_playwright

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.intake.chromium import browser_binary
from ivory_thistle.intake.crawling import CrawlOptions
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.har import read_har, sanitize, transfer_size
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.workflows.opening import named_source, open_source
from ivory_thistle.workflows.reading import read_site_of
from pictures import encoded, photograph

JPEG = encoded(photograph("chelsea"), "JPEG")
NONE = CrawlOptions("")


def entry(
    url: str, kind: str, body: bytes | None = None, page: str | None = "p1", **response: object
) -> dict[str, object]:
    """One request with its answer, and with private things in all places where they occur."""
    content: dict[str, object] = {"mimeType": kind, "size": len(body or b"")}
    if body is not None:
        content |= {"text": base64.b64encode(body).decode(), "encoding": "base64"}
    return {
        "pageref": page,
        "startedDateTime": "2026-01-01T00:00:00.100Z",
        "request": {
            "method": "GET", "url": url, "cookies": [{"name": "session", "value": "SECRET"}],
            "headers": [{"name": "Authorization", "value": "Bearer SECRET"}], "postData": {"text": "SECRET"},
        },
        "response": {
            "status": 200, "bodySize": len(body or b""), "headersSize": 100,
            "headers": [{"name": "Set-Cookie", "value": "SECRET"}], "content": content, **response,
        },
    }  # fmt: skip


def har(*entries: dict[str, object], pages: list[dict[str, object]] | None = None) -> bytes:
    """A HAR file of one page, or of these."""
    known = [{"id": "p1", "title": "One", "startedDateTime": "2026-01-01T00:00:00Z", "pageTimings": {"onLoad": 500}}]
    return json.dumps(
        {"log": {"version": "1.2", "pages": known if pages is None else pages, "entries": entries}}
    ).encode()


def kept(folder: Path, data: bytes) -> Path:
    """The file that holds a HAR."""
    place = folder / "log.har"
    place.write_bytes(data)
    return place


HTML = b"<!doctype html><title>One</title><img src=a.jpg><img src=/b.jpg?w=2>"


def test_bodies_become_files_and_addresses_lead_to_them(tmp_path: Path) -> None:
    """Page, style sheet and images as a folder would hold them."""
    data = har(
        entry("https://tea.example/shop/", "text/html", HTML),
        entry("https://tea.example/shop/a.jpg", "image/jpeg", JPEG),
        entry("https://tea.example/b.jpg?w=2", "image/jpeg", JPEG + b"b"),
    )
    found = read_har(kept(tmp_path, data), tmp_path)
    (page,) = found.pages
    assert (page.path, page.title) == ("shop/index.html", "One")
    assert [(r.path, r.bytes) for r in page.requests] == [("shop/a.jpg", len(JPEG)), ("b__w=2.jpg", len(JPEG) + 1)]
    assert (tmp_path / "shop/a.jpg").read_bytes() == JPEG


def test_nothing_private_is_left(tmp_path: Path) -> None:
    """Cookies, authorisation and post data are gone before anything is stored."""
    data = har(entry("https://tea.example/", "text/html", HTML), entry("https://tea.example/a.jpg", "image/jpeg", JPEG))
    place, bare = kept(tmp_path, data), tmp_path / "bare.har"
    sanitize(place, bare)
    assert b"SECRET" in data and b"SECRET" not in bare.read_bytes()
    assert read_har(bare, tmp_path / "a") == read_har(place, tmp_path / "b")


@pytest.mark.parametrize(
    ("response", "size"),
    [
        ({"bodySize": 1000}, 1000),
        ({"bodySize": -1, "_transferSize": 1100, "headersSize": 100}, 1000),
        ({"bodySize": -1, "_transferSize": 1100, "headersSize": -1}, 1100),
        ({"bodySize": -1, "content": {"size": 900, "compression": 200}}, 700),
        ({"bodySize": 0, "status": 304}, 0),
        ({}, 0),
    ],
)
def test_sizes_in_the_dialects_of_browsers(response: dict[str, object], size: int) -> None:
    """HAR 1.2, section "response": bodySize is -1 where it is not known; some write _transferSize instead."""
    assert transfer_size(response) == size


def test_totals_are_the_sums_in_the_file(tmp_path: Path) -> None:
    """Each page's image bytes are those of its entries; each address counts once; what came late was scrolled to."""
    pages = [
        {"id": "p1", "title": "One", "startedDateTime": "2026-01-01T00:00:00Z", "pageTimings": {"onLoad": 500}},
        {"id": "p2", "title": "Two", "startedDateTime": "2026-01-01T00:01:00Z", "pageTimings": {"onLoad": 500}},
    ]
    late = entry("https://tea.example/late.jpg", "image/jpeg", JPEG + b"late") | {
        "startedDateTime": "2026-01-01T00:00:09Z"
    }
    data = har(
        entry("https://tea.example/", "text/html", HTML),
        entry("https://tea.example/a.jpg", "image/jpeg", JPEG),
        entry("https://tea.example/a.jpg", "image/jpeg", JPEG),
        entry("https://tea.example/gone.jpg", "image/jpeg", JPEG, status=404),
        late,
        entry("https://tea.example/two", "text/html", HTML, "p2"),
        entry("https://tea.example/a.jpg", "image/jpeg", JPEG, "p2"),
        pages=pages,
    )
    one, two = read_har(kept(tmp_path, data), tmp_path).pages
    assert [(r.bytes, r.after_load) for r in one.requests] == [(len(JPEG), False), (len(JPEG) + 4, True)]
    assert [r.bytes for r in two.requests] == [len(JPEG)]
    raw = json.loads(data)["log"]["entries"]
    of_two = sum(
        e["response"]["bodySize"]
        for e in raw
        if e["pageref"] == "p2" and "image" in e["response"]["content"]["mimeType"]
    )
    assert sum(r.bytes for r in two.requests) == of_two


def test_images_without_bodies_are_known_by_their_size(tmp_path: Path) -> None:
    """They are listed with what went over the wire, and can't be treated."""
    place = tmp_path / "x.har"
    place.write_bytes(
        har(
            entry("https://tea.example/", "text/html"),
            entry("https://tea.example/big.webp", "image/webp", bodySize=77_000),
        )
    )
    (tmp_path / "s").mkdir()
    site = read_site_of(open_source(named_source(str(place), NONE), tmp_path / "s")).site
    (page,) = site.pages
    assert (page.path, page.image_bytes) == ("index.html", 77_000)
    assert [(i.path, i.facts.format, i.facts.problem) for i in site.images] == [
        ("big.webp", "webp", "is not in the HAR file, only its size")
    ]


def test_a_har_without_pages(tmp_path: Path) -> None:
    """The only document takes all requests."""
    data = har(
        entry("https://tea.example/", "text/html", HTML, None),
        entry("https://tea.example/a.jpg", "image/jpeg", JPEG, None),
        pages=[],
    )
    (page,) = read_har(kept(tmp_path, data), tmp_path).pages
    assert [r.path for r in page.requests] == ["a.jpg"]


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"{", "This is no HAR file: Expecting value"),
        (b'{"log": {"entries": [{}', "This is no HAR file: Expecting ','"),
        (b'{"log": {"entries": ' + b"[" * 100_000, "This is no HAR file: maximum recursion depth"),
        (b"{}", "This is no HAR file: it has no log with entries."),
        (har(), "The HAR file holds no page: no answer in it is HTML."),
        (har(entry("data:text/html,x", "text/html", b"x")), "The HAR file holds no page: no answer in it is HTML."),
    ],
)
def test_what_is_no_har(tmp_path: Path, data: bytes, message: str) -> None:
    """A clear message."""
    with pytest.raises(UnusableInput) as told:
        read_har(kept(tmp_path, data), tmp_path)
    assert str(told.value).startswith(message)


@pytest.mark.browser
def test_a_har_that_chromium_recorded(site_folder: Path, tmp_path: Path) -> None:
    """Recorded by a real browser: the same image bytes as the files have."""
    import asyncio

    recorded = tmp_path / "real.har"
    folder = Folder(site_folder)

    async def record(address: str) -> None:
        async with async_playwright() as playwright:
            browser = await playwright.chromium.launch(executable_path=browser_binary(), args=["--no-sandbox"])
            context = await browser.new_context(record_har_path=recorded, viewport={"width": 1920, "height": 1080})
            page = await context.new_page()
            await page.goto(f"{address}/index.html", wait_until="networkidle")
            await context.close()
            await browser.close()

    with serve_site(folder.paths()[0], folder.read) as address:
        asyncio.run(record(address))
    (tmp_path / "s").mkdir()
    site = read_site_of(open_source(named_source(str(recorded), NONE), tmp_path / "s")).site
    (page,) = site.pages
    assert page.path == "index.html"
    assert {p: site.files[p].bytes for p in page.files} == {p: (site_folder / p).stat().st_size for p in page.files}
    assert {"img/coffee.jpg", "img/cat.jpg", "img/graphic.png"} <= set(page.files)
