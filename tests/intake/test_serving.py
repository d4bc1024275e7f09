"""The stand-in web server and the fetcher that talks to the web, against each other and against odd answers."""

from __future__ import annotations

import http.server
import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

import httpx
import pytest

from ivory_thistle.core.references.addresses import server_of
from ivory_thistle.intake.fetching import Fetcher
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import media_type, serve_site

FILES = {"index.html": b"<p>home", "news.html": b"<p>news", "deep/index.html": b"<p>deep", "pic__x=1.png": b"\x89PNG"}


@pytest.fixture
def address() -> Iterator[str]:
    """The files served, with an alias and a redirect."""
    with serve_site(
        FILES, FILES.__getitem__, {"/pic?x=1": "pic__x=1.png"}, redirects={"/home": "/index.html"}
    ) as served:
        yield served


@pytest.mark.parametrize(
    ("path", "body"),
    [
        ("/index.html", b"<p>home"), ("/", b"<p>home"), ("/news", b"<p>news"), ("/deep/", b"<p>deep"), ("/deep", b"<p>deep"),
        ("/pic?x=1", b"\x89PNG"), ("/news.html?any", b"<p>news"), ("/home", b"<p>home"),
    ],
)  # fmt: skip
def test_addresses_are_found_as_static_hosts_find_them(address: str, path: str, body: bytes) -> None:
    """With and without extension, folders, aliases, redirects."""
    answer = httpx.get(address + path, follow_redirects=True)
    assert (answer.status_code, answer.content) == (200, body)


def test_conditions_and_misses(address: str) -> None:
    """An unchanged file is 304 without a body; what is not there is 404, also behind an alias with another query."""
    first = httpx.get(f"{address}/news.html")
    again = httpx.get(f"{address}/news.html", headers={"if-none-match": first.headers["etag"]})
    assert (again.status_code, again.content) == (304, b"")
    assert httpx.get(f"{address}/gone").status_code == 404
    assert httpx.get(f"{address}/pic?x=2").status_code == 404
    assert httpx.head(f"{address}/news.html").headers["content-length"] == str(len(b"<p>news"))


def test_asked_for_its_head_alone_it_sends_no_body(address: str) -> None:
    """https://httpwg.org/specs/rfc9110.html#HEAD : what comes after the head would be taken for the next answer."""
    with socket.create_connection(server_of(address)) as connection:
        connection.sendall(b"HEAD /news.html HTTP/1.1\r\nhost: a\r\nconnection: close\r\n\r\n")
        answer = connection.makefile("rb").read()
    assert b"content-length: 7" in answer and answer.endswith(b"\r\n\r\n")


@pytest.mark.parametrize("path", ["/s%C3%BC%C3%9F.jpg", "/s%C3%BC%C3%9F.jpg?v=2", "/su%CC%88%C3%9F.jpg"])
def test_a_chosen_file_is_given_whatever_the_query_and_the_spelling(path: str) -> None:
    """As nginx and Apache map addresses to files: without the query, and unquoted; letters composed or in parts."""
    files = {"süß.jpg": b"old", "süß.jpg.avif": b"new"}
    with serve_site(files, files.__getitem__, {"/süß.jpg": "süß.jpg.avif"}) as served:
        assert httpx.get(served + path).content == b"new"


def test_types_are_those_of_plain_servers() -> None:
    """By extension; text without a charset, so that pages tell theirs."""
    assert media_type("a/b.AVIF") == "image/avif" and media_type("x.css") == "text/css"
    assert media_type("README") == "application/octet-stream"


@pytest.mark.parametrize(
    ("page", "said"),
    [
        ("<p>é", "text/html; charset=utf-8"),
        ("<p>e", "text/html"),
        ("<meta charset=utf-8><p>é", "text/html"),
        ("\ufeff<p>é", "text/html"),
    ],
)
def test_pages_that_say_no_encoding_are_served_as_they_are_read(page: str, said: str) -> None:
    """Without a word, Chromium takes a page for windows-1252 (asked), and its addresses with it."""
    with serve_site(["a.html"], lambda path: page.encode()) as served:
        assert httpx.get(f"{served}/a.html").headers["content-type"] == said
    with serve_site(["a.html"], lambda path: b"<p>\xe9") as served:
        assert httpx.get(f"{served}/a.html").headers["content-type"] == "text/html"


@contextmanager
def answering(write: Callable[[http.server.BaseHTTPRequestHandler], None]) -> Iterator[str]:
    class Handler(http.server.BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            write(self)

        def log_message(self, *arguments: object) -> None:
            pass

    class Server(http.server.ThreadingHTTPServer):
        def handle_error(self, *arguments: object) -> None:
            """The fetcher hangs up on what is too large."""

    with Server(("127.0.0.1", 0), Handler) as server:
        threading.Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_address[1]}"
        server.shutdown()


def test_too_large_an_answer_is_given_up() -> None:
    """After the limit, whatever length it declared."""

    def endless(handler: http.server.BaseHTTPRequestHandler) -> None:
        handler.send_response(200)
        handler.end_headers()
        for _ in range(400):
            handler.wfile.write(b"x" * 10_000)

    with answering(endless) as address:
        fetched = Fetcher([server_of(address)], 0, most_bytes=1_000_000).fetch(f"{address}/x")
    assert (fetched.problem, fetched.data) == ("It is larger than 1 MB.", b"")


def test_a_packed_answer_is_counted_unpacked() -> None:
    """A small gzip body that unpacks to much is given up all the same."""
    import gzip

    def bomb(handler: http.server.BaseHTTPRequestHandler) -> None:
        body = gzip.compress(b"\0" * 20_000_000)
        handler.send_response(200)
        handler.send_header("content-encoding", "gzip")
        handler.send_header("content-length", str(len(body)))
        handler.end_headers()
        handler.wfile.write(body)

    with answering(bomb) as address:
        fetched = Fetcher([server_of(address)], 0, most_bytes=1_000_000).fetch(f"{address}/x")
    assert fetched.problem == "It is larger than 1 MB."


@pytest.mark.parametrize("location", ["/loop", "//elsewhere.invalid/x", "mailto:a@b.invalid", "http://[broken"])
def test_redirects_that_lead_nowhere(location: str) -> None:
    """Each is told in words and never followed off the host."""

    def moved(handler: http.server.BaseHTTPRequestHandler) -> None:
        handler.send_response(302)
        handler.send_header("location", location)
        handler.send_header("content-length", "0")
        handler.end_headers()

    with answering(moved) as address:
        fetched = Fetcher([server_of(address)], 0).fetch(f"{address}/loop", servers=frozenset({server_of(address)}))
    assert fetched.problem.startswith(("It redirects ", "Its answer makes no sense: ")) and fetched.data == b""


def test_nobody_answers() -> None:
    """A closed port is a problem in words, not an exception."""
    assert Fetcher([("127.0.0.1", 1)], 0).fetch("http://127.0.0.1:1/").problem.startswith("It does not answer: ")


def test_the_folder_may_change_while_it_is_served(tmp_path: Path) -> None:
    """A file that has gone meanwhile is a 404, not a broken connection."""
    (tmp_path / "a.html").write_text("x")
    folder = Folder(tmp_path)
    with serve_site(folder.paths()[0], folder.read) as address:
        (tmp_path / "a.html").unlink()
        assert httpx.get(f"{address}/a.html").status_code == 404
