"""The snippets in the real nginx and Apache of Debian: each browser gets a file that it shows, at the old address."""

from __future__ import annotations

import os
import socket
import subprocess
import time
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from pathlib import Path

import httpx
import pytest

from ivory_thistle.core.references.addresses import FileIndex
from ivory_thistle.core.rewriting.delivery import Original, plan_delivery
from ivory_thistle.core.rewriting.snippets import APACHE, NGINX, server_snippets
from ivory_thistle.core.treatment.names import BESIDE_PATTERN
from ivory_thistle.core.treatment.rendition import RenditionFacts

pytestmark = pytest.mark.whole

FILES = {
    "img/a.jpg": "original a", "img/a.jpg.light.avif": "avif a", "img/a.jpg.light.webp": "webp a",
    "img/a.jpg.light.jpg": "light a", "img/b c.PNG": "original b", "img/b c.PNG.light.webp": "webp b",
    "img/alone.jpg": "original alone", "page.html": "<p>page</p>",
}  # fmt: skip
MADE = {
    "img/a.jpg": [("avif", "avif"), ("webp", "webp"), ("baseline", "jpeg")],
    "img/b c.PNG": [("webp", "webp")],
}
ASKED = [
    ("img/a.jpg", "image/avif,image/webp,image/apng,image/svg+xml,image/*,*/*;q=0.8", "avif a", "image/avif"),
    ("img/a.jpg", "image/webp,*/*", "webp a", "image/webp"),
    ("img/a.jpg", "image/x-unheard-of, image/webp;q=0.9", "webp a", "image/webp"),
    ("img/a.jpg", "image/avif;q=0, image/webp;q=1.0", "webp a", "image/webp"),
    ("img/a.jpg", "image/avif;q=0.0,*/*", "light a", "image/jpeg"),
    ("img/a.jpg", "image/avif;v=1;q=0.5", "avif a", "image/avif"),
    ("img/a.jpg", "image/avif-sequence, image/webpx, x/image/avif", "light a", "image/jpeg"),
    ("img/a.jpg", "*/*", "light a", "image/jpeg"),
    ("img/a.jpg", "", "light a", "image/jpeg"),
    ("img/a.jpg", None, "light a", "image/jpeg"),
    ("img/b%20c.PNG", "image/avif", "original b", "image/png"),
    ("img/b%20c.PNG", "IMAGE/WEBP", "webp b", "image/webp"),
    ("img/alone.jpg", "image/avif,image/webp", "original alone", "image/jpeg"),
]


@pytest.mark.whole
def rendition(path: str, tier: str, name: str) -> RenditionFacts:
    """One that was made of a picture."""
    return RenditionFacts(tier=tier, format=name, width=10, height=10, bytes=5, sha256=f"{path}{tier}")


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A handed-over site with the snippets that were made for it."""
    root = tmp_path_factory.mktemp("served")
    originals = [Original(path, 10, 10, tuple(rendition(path, *one) for one in made)) for path, made in MADE.items()]
    index = FileIndex(path for path in FILES if ".light." not in path)
    deliveries = plan_delivery(originals, index, BESIDE_PATTERN)
    assert {f.path for d in deliveries.values() for f in d.files} == {path for path in FILES if ".light." in path}
    for path, text in [*FILES.items(), *server_snippets(deliveries.values()).items()]:
        place = root / path
        place.parent.mkdir(parents=True, exist_ok=True)
        place.write_bytes(text if isinstance(text, bytes) else text.encode())
    for folder in (root, *root.rglob("*")):
        folder.chmod(0o755 if folder.is_dir() else 0o644)
    for above in root.parents:
        with suppress(PermissionError):
            above.chmod(above.stat().st_mode | 0o011)
    return root


def free_port() -> int:
    """A port of loopback that nobody has."""
    with socket.socket() as asked:
        asked.bind(("127.0.0.1", 0))
        return int(asked.getsockname()[1])


@contextmanager
def started(command: list[str], port: int) -> Iterator[str]:
    """A server for as long as the block runs."""
    server = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True)
    try:
        deadline = time.monotonic() + 20
        while time.monotonic() < deadline:
            with suppress(OSError), socket.create_connection(("127.0.0.1", port), 1):
                break
            assert server.poll() is None, server.stderr.read() if server.stderr else ""
        yield f"http://127.0.0.1:{port}"
    finally:
        server.terminate()
        server.wait(10)


@contextmanager
def nginx(site: Path, work: Path) -> Iterator[str]:
    """nginx with the snippet's two parts in their places."""
    port = free_port()
    http, server = (site / NGINX).read_text().split("# In server { }:")
    (work / "nginx.conf").write_text(
        f"""daemon off; pid {work}/nginx.pid; error_log {work}/error.log; {_as_nobody("user nobody nogroup;")}
events {{}}
http {{ include /etc/nginx/mime.types; access_log off; client_body_temp_path {work}; proxy_temp_path {work};
fastcgi_temp_path {work}; uwsgi_temp_path {work}; scgi_temp_path {work};
{http}
server {{ listen 127.0.0.1:{port}; root {site};
{server} }} }}"""
    )
    with started([_program("nginx"), "-c", str(work / "nginx.conf"), "-p", str(work)], port) as address:
        yield address


@contextmanager
def apache(site: Path, work: Path) -> Iterator[str]:
    """Apache with the snippet as `.htaccess`."""
    port = free_port()
    (site / ".htaccess").write_bytes((site / APACHE).read_bytes())
    (site / ".htaccess").chmod(0o644)
    modules = ["mpm_event", "authz_core", "mime", "rewrite", "headers", "dir"]
    loads = "\n".join(f"LoadModule {m}_module /usr/lib/apache2/modules/mod_{m}.so" for m in modules)
    (work / "apache.conf").write_text(
        f"""{loads}
ServerRoot {work}
ServerName 127.0.0.1
Listen 127.0.0.1:{port}
PidFile {work}/apache.pid
ErrorLog {work}/apache.log
{_as_nobody("User nobody")}
{_as_nobody("Group nogroup")}
TypesConfig /etc/mime.types
DocumentRoot {site}
<Directory {site}>
AllowOverride All
Require all granted
</Directory>"""
    )
    with started([_program("apache2"), "-D", "FOREGROUND", "-f", str(work / "apache.conf")], port) as address:
        yield address


def _as_nobody(directive: str) -> str:
    """Only root has to be told to serve as somebody else."""
    return directive if os.geteuid() == 0 else ""


def _program(name: str) -> str:
    return f"/usr/sbin/{name}"


@pytest.fixture(scope="module", params=[nginx, apache], ids=["nginx", "apache"])
def address(request: pytest.FixtureRequest, site: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[str]:
    """The site as one of the servers has it."""
    with request.param(site, tmp_path_factory.mktemp("server")) as address:
        yield address


@pytest.mark.parametrize(("path", "accept", "body", "kind"), ASKED)
def test_what_a_browser_accepts_decides(address: str, path: str, accept: str | None, body: str, kind: str) -> None:
    """RFC 9110, section 12.5.1: types named, unknown ones beside them, weights of 0, none at all; and what is missing."""
    with httpx.Client() as client:
        del client.headers["accept"]
        headers = {} if accept is None else {"accept": accept}
        answer = client.get(f"{address}/{path}", headers=headers)
        assert (answer.status_code, answer.text, answer.headers["content-type"]) == (200, body, kind)
        assert "accept" in answer.headers["vary"].lower()
        head = client.head(f"{address}/{path}", headers=headers)
        assert (head.status_code, head.headers["content-type"], head.content) == (200, kind, b"")
        assert head.headers["content-length"] == str(len(body))


def test_parts_of_a_file_and_what_is_no_picture(address: str) -> None:
    """A range is one of the file that was chosen; a page is as it was, and nothing that is not there is found."""
    part = httpx.get(f"{address}/img/a.jpg", headers={"accept": "image/avif", "range": "bytes=0-3"})
    assert (part.status_code, part.text, part.headers["content-range"]) == (206, "avif", "bytes 0-3/6")
    page = httpx.get(f"{address}/page.html", headers={"accept": "image/avif"})
    assert (page.text, page.headers.get("vary")) == ("<p>page</p>", None)
    assert httpx.get(f"{address}/img/none.jpg", headers={"accept": "image/avif"}).status_code == 404
