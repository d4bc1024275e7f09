"""A live site is crawled politely and whole, whatever its server does; private addresses are refused."""

from __future__ import annotations

import gzip
import http.server
import threading
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.references.addresses import join
from ivory_thistle.intake.crawl import Crawler
from ivory_thistle.intake.crawling import Crawl, CrawlOptions, start_address
from ivory_thistle.intake.fetching import Fetcher, RefusedAddressError, checked_address
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.naming import Names
from ivory_thistle.workflows.opening import named_source, open_source
from ivory_thistle.workflows.reading import read_site_of
from pictures import encoded, photograph

PNG = encoded(photograph("chelsea").resize((40, 30)), "PNG")


class World:
    """A small web server whose answers a test sets: path to (status, type, body, headers)."""

    def __init__(self) -> None:
        self.answers: dict[str, tuple[int, str, bytes, dict[str, str]]] = {}
        self.asked: list[str] = []
        self.conditions: list[str] = []
        self.address = ""

    def page(self, path: str, html: str, **headers: str) -> None:
        """An HTML page; `{origin}` in it is the server's address."""
        self.answers[path] = (200, "text/html; charset=utf-8", html.replace("{origin}", self.address).encode(), headers)

    def put(self, path: str, kind: str, body: bytes, status: int = 200, **headers: str) -> None:
        """Any answer."""
        self.answers[path] = (status, kind, body, headers)


@contextmanager
def serving(world: World) -> Iterator[World]:
    class Handler(http.server.BaseHTTPRequestHandler):
        protocol_version = "HTTP/1.1"

        def do_GET(self) -> None:
            world.asked.append(self.path)
            if self.path == "/slow.html":
                time.sleep(0.3)
            if self.path == "/hang-up.html":
                self.close_connection = True
                self.wfile.write(b"HTTP/1.1 200 OK\r\ncontent-length: 999\r\n\r\n<p>cut")
                return
            status, kind, body, headers = world.answers.get(self.path, (404, "text/plain", b"no", {}))
            condition = self.headers.get("if-none-match")
            if condition:
                world.conditions.append(self.path)
            if condition and condition == headers.get("etag"):
                status, body = 304, b""
            self.send_response(status)
            for name, value in {"content-type": kind, **headers}.items():
                self.send_header(name, value)
            if status != 304:
                self.send_header("content-length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *arguments: object) -> None:
            pass

    with http.server.ThreadingHTTPServer(("127.0.0.1", 0), Handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        world.address = f"http://127.0.0.1:{server.server_address[1]}"
        yield world
        server.shutdown()


@pytest.fixture
def world() -> Iterator[World]:
    """A server with nothing on it yet."""
    with serving(World()) as served:
        yield served


def options(world: World, **more: object) -> CrawlOptions:
    """Options for the test's own server."""
    return CrawlOptions(f"{world.address}/", allow_private=True, seconds_between=0, **more)  # type: ignore[arg-type]


def crawled(world: World, into: Path, **more: object) -> Crawl:
    """A whole crawl."""
    return Crawler(options(world, **more), into).run()


def paths(crawl: Crawl) -> set[str]:
    """The files written."""
    return {s.path for s in crawl.seen.values()}


def told(crawl: Crawl, world: World) -> dict[str, str]:
    """What could not be read, by path."""
    return {f.path.removeprefix(world.address): f.message for f in crawl.faults}


def test_pages_pictures_styles_and_what_they_name(world: World, tmp_path: Path) -> None:
    """Links are followed on the host; images, style sheets and what these name are fetched once each."""
    world.page("/", '<a href=about>x</a><a href="/about#top">y</a><link rel=stylesheet href=/s.css><img src=a.png>')
    world.page("/about", '<img src="img?id=2&amp;w=9" srcset="/b.png 2x"><a href="{origin}/deep/">d</a>'
               '<a href="https://elsewhere.invalid/">e</a>')  # fmt: skip
    world.page("/deep/", "<img src=../a.png><img src=gone.png>")
    world.put("/s.css", "text/css", b"@import 'more.css'; p{background:url(bg.png)}")
    world.put("/more.css", "text/css", b"q{background:url(/bg2.png)}")
    for name in ("/a.png", "/b.png", "/bg.png", "/bg2.png", "/img?id=2&w=9"):
        world.put(name, "image/png", PNG + name.encode())
    crawl = crawled(world, tmp_path)
    assert paths(crawl) == {
        "index.html", "about.html", "deep/index.html", "s.css", "more.css", "a.png", "b.png", "bg.png", "bg2.png",
        "img__id=2&w=9.png",
    }  # fmt: skip
    assert told(crawl, world) == {"/deep/gone.png": "It answers with 404."}
    assert sorted(p for p in world.asked if "png" in p or "img" in p) == sorted(
        ["/a.png", "/b.png", "/bg.png", "/bg2.png", "/deep/gone.png", "/img?id=2&w=9"]
    )


def test_a_crawled_site_reads_like_a_folder(world: World, tmp_path: Path) -> None:
    """Addresses with queries, without extensions and absolute ones lead to their files."""
    world.page("/", '<img src="pic?x=1"><img src="{origin}/a.png"><a href=news>n</a>')
    world.page("/news", "<img src=a.png><img src=lost.png>")
    world.put("/pic?x=1", "image/png", PNG + b"1")
    world.put("/a.png", "image/png", PNG)
    site = read_site_of(open_source(named_source(f"{world.address}/", options(world)), tmp_path / "s")).site
    assert {p.path: p.files for p in site.pages} == {"index.html": ("pic__x=1.png", "a.png"), "news.html": ("a.png",)}
    assert [p.broken for p in site.pages] == [(), ("lost.png",)]


def test_redirects_are_recorded_and_circles_end(world: World, tmp_path: Path) -> None:
    """A moved page is kept under its end; a circle, and a way to another host, are told."""
    world.page("/", "<a href=old>o</a><a href=circle>c</a><a href=away>a</a><img src=moved.png>")
    world.put("/old", "text/plain", b"", 301, location="/new.html")
    world.page("/new.html", "<p>here")
    world.put("/circle", "text/plain", b"", 302, location="/circle2")
    world.put("/circle2", "text/plain", b"", 302, location="/circle")
    world.put("/away", "text/plain", b"", 302, location="https://elsewhere.invalid/")
    world.put("/moved.png", "text/plain", b"", 308, location="/img/a.png")
    world.put("/img/a.png", "image/png", PNG)
    crawl = crawled(world, tmp_path)
    assert crawl.aliases == {"/old": "new.html", "/moved.png": "img/a.png", "/": "index.html"}
    assert told(crawl, world) == {
        "/circle": "It redirects in a circle.",
        "/away": "It redirects to https://elsewhere.invalid/, elsewhere.",
    }


def test_robots_sitemaps_patterns_and_limits(world: World, tmp_path: Path) -> None:
    """robots.txt is respected unless set aside; sitemaps (also packed, also indexes) are read; limits are told."""
    world.put(
        "/robots.txt", "text/plain", f"User-agent: *\nDisallow: /secret\nSitemap: {world.address}/maps.xml".encode()
    )
    index = f"<sitemapindex><sitemap><loc>{world.address}/map.xml.gz</loc></sitemap></sitemapindex>"
    world.put("/maps.xml", "text/xml", index.encode())
    listed = "".join(
        f"<url><loc>{world.address}/{n}</loc></url>" for n in ("only-here.html", "skip/a.html", "secret.html")
    )
    world.put("/map.xml.gz", "application/gzip", gzip.compress(f"<urlset>{listed}</urlset>".encode()))
    for path in ("/", "/only-here.html", "/skip/a.html", "/secret.html"):
        world.page(path, f"<p>{path}")
    crawl = crawled(world, tmp_path / "a", exclude=("*/skip/*",))
    assert paths(crawl) == {"index.html", "only-here.html"}
    assert told(crawl, world) == {"/secret.html": "robots.txt asks not to read it."}
    assert "secret.html" in paths(crawled(world, tmp_path / "b", respect_robots=False))
    few = crawled(world, tmp_path / "c", pages=1)
    assert few.limits == ["Stopped at 1 pages; the rest is not read."] and paths(few) == {"index.html"}


def test_the_same_page_at_two_addresses_is_one(world: World, tmp_path: Path) -> None:
    """By its canonical address, or by equal content in the same folder."""
    world.page("/", "<a href=index.html>h</a><a href='p?session=9'>p</a><a href=p>p</a>")
    world.page("/index.html", world.answers["/"][2].decode())
    world.page("/p", "<link rel=canonical href=/p><p>one")
    world.page("/p?session=9", "<link rel=canonical href=/p><p>one, but with a session")
    crawl = crawled(world, tmp_path)
    assert {"index.html", "p.html"} <= paths(crawl) and not any("~2" in p for p in paths(crawl))


def test_slow_and_broken_answers_stop_nothing(world: World, tmp_path: Path) -> None:
    """A slow page is waited for; one that hangs up in the middle is told; the rest is read."""
    world.page("/", "<a href=slow.html>s</a><a href=hang-up.html>h</a><a href=boom.html>b</a><a href=fine.html>f</a>")
    world.page("/slow.html", "<p>slow")
    world.put("/boom.html", "text/html", b"x", 500)
    world.page("/fine.html", "<p>fine")
    crawl = crawled(world, tmp_path)
    assert paths(crawl) == {"index.html", "slow.html", "fine.html"}
    assert told(crawl, world)["/boom.html"] == "It answers with 500."
    assert told(crawl, world)["/hang-up.html"].startswith("Its answer makes no sense: ")


def test_stopped_and_gone_on(world: World, tmp_path: Path) -> None:
    """What was fetched before the stop is not fetched again."""
    world.page("/", "".join(f"<a href={n}.html>x</a>" for n in range(6)))
    for n in range(6):
        world.page(f"/{n}.html", f"<p>{n}")
    counter = iter(range(100))
    first = Crawler(options(world), tmp_path, stop=lambda: next(counter) > 3).run()
    assert first.stopped and 0 < len(first.seen) < 7
    before = len(world.asked)
    second = Crawler(options(world), tmp_path).run()
    assert not second.stopped and len(second.seen) == 7
    pages_again = [p for p in world.asked[before:] if p.endswith(".html") or p == "/"]
    assert len(pages_again) == 7 - len(first.seen)


def test_a_second_capture_asks_only_for_what_changed(world: World, tmp_path: Path) -> None:
    """With the tags of the first; unchanged contents are taken from it."""
    world.page("/", "<img src=a.png><img src=b.png>", etag='"1"')
    world.put("/a.png", "image/png", PNG, etag='"a"')
    world.put("/b.png", "image/png", PNG + b"b", etag='"b"')
    first = crawled(world, tmp_path / "one")
    contents = {s.sha256: (tmp_path / "one" / s.path).read_bytes() for s in first.seen.values()}
    world.put("/b.png", "image/png", PNG + b"changed", etag='"c"')
    second = Crawler(options(world), tmp_path / "two", earlier=first.seen, content_of=contents.__getitem__).run()
    assert sorted(world.conditions) == ["/", "/a.png", "/b.png"]
    assert (tmp_path / "two/a.png").read_bytes() == PNG
    assert (tmp_path / "two/b.png").read_bytes() == PNG + b"changed"
    assert paths(second) == paths(first)


def test_images_of_other_servers_only_where_allowed(world: World, tmp_path: Path) -> None:
    """The site's own image server is one by name and port; the images of others stay remote."""
    with serving(World()) as images:
        images.put("/x.png", "image/png", PNG)
        world.page("/", f"<img src={images.address}/x.png>")
        assert paths(crawled(world, tmp_path / "a")) == {"index.html"} and images.asked == []
        named = images.address.removeprefix("http://")
        kept = f"_hosts/{named.replace(':', '_')}/x.png"
        assert paths(crawled(world, tmp_path / "b", image_hosts=(named,))) == {"index.html", kept}
        world.page("/", "<img src=http://images.invalid/x.png>")
        assert paths(crawled(world, tmp_path / "c")) == {"index.html"}


def test_another_port_of_the_same_host_is_another_server(world: World, tmp_path: Path) -> None:
    """Leave to read one's own server is none for what else listens there: no link, redirect or sitemap leads on."""
    with serving(World()) as other:
        for path in ("/a", "/b", "/c.xml", "/d"):
            other.page(path, "secret")
        links = f'<a href="{other.address}/a">x</a><a href="/b">y</a>'
        world.page("/", f'{links}<link rel=canonical href="{other.address}/d">')
        world.put("/b", "text/html", b"", 302, location=f"{other.address}/b")
        world.put("/robots.txt", "text/plain", f"Sitemap: {other.address}/c.xml".encode())
        assert paths(crawled(world, tmp_path)) == {"index.html"}
        assert other.asked == []


@pytest.mark.parametrize(
    "host", ["127.0.0.1", "localhost", "::1", "10.0.0.1", "169.254.169.254", "0.0.0.0", "192.168.1.1"]
)
def test_private_addresses_are_refused(host: str) -> None:
    """Unless allowed by name."""
    with pytest.raises(RefusedAddressError) as refused:
        checked_address(host, 80, frozenset())
    assert str(refused.value).endswith("which is not a public address")
    assert checked_address(host, 80, frozenset({(host, 443)}))
    with pytest.raises(RefusedAddressError):
        checked_address(host, 8080, frozenset({(host, 443)}))


def test_the_address_that_was_checked_is_the_one_connected_to(world: World, monkeypatch: pytest.MonkeyPatch) -> None:
    """A name that turns private between check and connection (DNS rebinding) never gets a connection."""
    import socket

    port = int(world.address.rsplit(":", 1)[1])
    answers = iter([[(2, 1, 6, "", ("93.184.216.34", port))], [(2, 1, 6, "", ("127.0.0.1", port))]])
    monkeypatch.setattr(socket, "getaddrinfo", lambda *a, **k: next(answers))
    tried: list[str] = []
    monkeypatch.setattr(
        socket,
        "create_connection",
        lambda address, *a, **k: tried.append(address[0]) or (_ for _ in ()).throw(OSError("shut")),
    )
    fetcher = Fetcher(seconds_between=0)
    assert fetcher.fetch(f"http://turning.example:{port}/").problem.startswith("It does not answer")
    assert fetcher.fetch(f"http://turning.example:{port}/").problem == (
        "turning.example leads to 127.0.0.1, which is not a public address; it is not read."
    )
    assert tried == ["93.184.216.34"]


@pytest.mark.parametrize("text", ["", "ftp://x/", "no address", "http://"])
def test_what_is_no_address(text: str) -> None:
    """One sentence for the person."""
    with pytest.raises(UnusableInput):
        start_address(text)


def test_a_start_that_is_not_there(world: World, tmp_path: Path) -> None:
    """Told with its reason, and nothing is kept."""
    with pytest.raises(UnusableInput) as told_:
        crawled(world, tmp_path)
    assert str(told_.value) == f"{world.address}/ can't be read. It answers with 404."


def test_the_folder_holds_what_a_folder_capture_reads(world: World, tmp_path: Path) -> None:
    """Names that a file system dislikes are made safe, and clashes are told apart."""
    world.page("/", "<img src='./a:b.png'><img src=A.png><img src=a.png><a href=x>1</a><a href=x/y>2</a>")
    world.page("/x", "<p>1")
    world.page("/x/y", "<p>2")
    for name in ("/a:b.png", "/A.png", "/a.png"):
        world.put(name, "image/png", PNG + name.encode())
    crawl = crawled(world, tmp_path)
    assert {"a_b.png", "A.png", "a~2.png", "x.html", "x/y.html"} <= paths(crawl)
    assert set(Folder(tmp_path).paths()[0]) >= paths(crawl)


@pytest.mark.parametrize(
    ("address", "path"),
    [
        ("/a%2F..%2F..%2F..%2Fetc/x.png", "a/_../_../_../etc/x.png"),
        ("/%2e%2e/x.png", "x.png"),
        ("/.crawl.jsonl", "_.crawl.jsonl"),
        ("/a//b.png", "a/_/b.png"),
        ("/a%00b%5Cc.png", "a_b_c.png"),
    ],
)
def test_no_address_leads_outside_the_folder(address: str, path: str) -> None:
    """Encoded slashes, dots and control characters are made harmless; our own journal can't be overwritten."""
    absolute = join("http://site.example/", address)
    assert absolute is not None
    assert Names("site.example").give(absolute, "image/png", PNG).removesuffix(".png").removesuffix(".jsonl") == (
        path.removesuffix(".png").removesuffix(".jsonl")
    )
