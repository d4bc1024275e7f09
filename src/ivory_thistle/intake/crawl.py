"""A live site read page by page into a folder, politely: one request after the other, robots.txt respected."""

from __future__ import annotations

import json
import re
import zlib
from collections import deque
from collections.abc import Callable, Iterator, Mapping
from dataclasses import asdict
from fnmatch import translate
from hashlib import sha256
from pathlib import Path
from urllib.parse import urldefrag, urlsplit
from xml.etree.ElementTree import ParseError, fromstring

from protego import Protego

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.faults import Fault
from ivory_thistle.core.references.addresses import NO_SERVER, base_of, join, server_of
from ivory_thistle.core.references.css import read_css
from ivory_thistle.core.references.markup import tags
from ivory_thistle.core.references.page import LAZY_ATTRIBUTES, PageReading, read_page
from ivory_thistle.core.references.source import read_css_source, read_html_source
from ivory_thistle.intake.crawling import Crawl, CrawlOptions, Seen
from ivory_thistle.intake.fetching import AGENT, Fetched, Fetcher, Server
from ivory_thistle.intake.naming import Names
from ivory_thistle.system.files import replace_file

_HEAD_BYTES = 100_000
_HTML = frozenset({"text/html", "application/xhtml+xml"})
_MOST_SITEMAPS = 50
_SITEMAP_BYTES = 52_428_800
_JOURNAL = ".crawl.jsonl"


class Crawler:
    """One crawl into a folder. A journal there lets a later one go on where this one stopped."""

    def __init__(
        self,
        options: CrawlOptions,
        into: Path,
        on_progress: Callable[[int, int], None] = lambda done, known: None,
        stop: Callable[[], bool] = lambda: False,
        earlier: Mapping[str, Seen] | None = None,
        content_of: Callable[[str], bytes] | None = None,
        lazy_attributes: tuple[str, ...] = LAZY_ATTRIBUTES,
    ) -> None:
        self._options, self._into, self._on_progress, self._stop = options, into, on_progress, stop
        self._earlier, self._content_of, self._lazy = earlier or {}, content_of, lazy_attributes
        start = urlsplit(options.start)
        self._origin, self._host = f"{start.scheme}://{start.netloc}", start.netloc
        self._pages_on = frozenset({server_of(options.start)})
        named = {server_of(f"https://{host}") for host in options.image_hosts}
        self._images_on = self._pages_on | (named - {NO_SERVER})
        allowed = self._images_on if options.allow_private else ()
        self._fetcher = Fetcher(allowed, options.seconds_between)
        self._names = Names(self._host)
        self._robots: Protego | None = None
        self.result = Crawl(aliases=self._names.aliases)
        self._known: set[str] = set()
        self._contents: dict[tuple[str, str], str] = {}
        self._queue: deque[tuple[str, int]] = deque()
        self._wanted: deque[str] = deque()

    def run(self) -> Crawl:
        """Crawls to the end, a limit, or until stopped. Raises UnusableInput where the start itself can't be read."""
        self._into.mkdir(parents=True, exist_ok=True)
        try:
            self._resume()
            self._read_robots()
            self._push(self._options.start, 0)
            for address in self._sitemaps():
                self._push(address, 1)
            self._work()
        finally:
            self._fetcher.close()
        if not self.result.seen and not self.result.stopped:
            why = self.result.faults[0].message if self.result.faults else "Nothing was found there."
            raise UnusableInput(f"{self._options.start} can't be read. {why}")
        return self.result

    def _work(self) -> None:
        while self._queue or self._wanted:
            if self._stop():
                self.result.stopped = True
                return
            if self.result.bytes > self._options.bytes:
                self.result.limits.append(f"Stopped at {self._options.bytes / 1e6:,.0f} MB; the rest is not read.")
                return
            if self._wanted:
                self._resource(self._wanted.popleft())
            else:
                self._page(*self._queue.popleft())
            self._on_progress(len(self.result.seen), len(self._known))

    def _resume(self) -> None:
        """Takes up what an earlier try left in the folder; a line cut off at its end does not count."""
        journal = self._into / _JOURNAL
        if not journal.exists():
            return
        for line in journal.read_text(encoding="utf-8").splitlines():
            try:
                seen = Seen(**json.loads(line))
            except (ValueError, TypeError):
                continue
            if (self._into / seen.path).exists():
                self._earlier = {**self._earlier, seen.address: seen}

    def _read_robots(self) -> None:
        answer = self._fetcher.fetch(f"{self._origin}/robots.txt", servers=self._pages_on)
        text = answer.data.decode("utf-8", "replace") if not answer.problem else ""
        self._robots = Protego.parse(text)
        delay = self._robots.crawl_delay(AGENT)
        if delay and self._options.respect_robots:
            self._fetcher.seconds_between = max(self._fetcher.seconds_between, min(10.0, float(delay)))

    def _sitemaps(self) -> Iterator[str]:
        """Addresses of pages from all sitemaps: https://www.sitemaps.org/protocol.html"""
        assert self._robots is not None
        waiting = [*self._robots.sitemaps, f"{self._origin}/sitemap.xml"]
        done: set[str] = set()
        while waiting and len(done) < _MOST_SITEMAPS:
            address = waiting.pop(0)
            if address in done or server_of(address) not in self._pages_on:
                continue
            done.add(address)
            answer = self._fetcher.fetch(address, servers=self._pages_on)
            if answer.problem:
                continue
            try:
                packed = answer.data[:2] == b"\x1f\x8b"
                # What unpacks to more than the protocol's 50 MB is cut off, and then no XML.
                root = fromstring(
                    zlib.decompressobj(31).decompress(answer.data, _SITEMAP_BYTES) if packed else answer.data
                )
            except (ParseError, zlib.error, ValueError):
                self._fault(address, "This sitemap can't be read.")
                continue
            found = [(e.text or "").strip() for e in root.iter() if e.tag.rpartition("}")[2] == "loc"]
            if root.tag.rpartition("}")[2] == "sitemapindex":
                waiting += found
            else:
                yield from found

    def _push(self, address: str, depth: int) -> None:
        address = urldefrag(address).url
        if address in self._known or server_of(address) not in self._pages_on:
            return
        if depth > self._options.depth or not self._is_wanted(address):
            return
        self._known.add(address)
        if self._options.respect_robots and self._robots and not self._robots.can_fetch(address, AGENT):
            self._fault(address, "robots.txt asks not to read it.")
            return
        self._queue.append((address, depth))

    def _is_wanted(self, address: str) -> bool:
        def fits(patterns: tuple[str, ...]) -> bool:
            return any(re.match(translate(p.replace("[", "[[]")), address) for p in patterns)

        if address == self._options.start:
            return True
        return (not self._options.include or fits(self._options.include)) and not fits(self._options.exclude)

    def _page(self, address: str, depth: int) -> None:
        if self.result.pages >= self._options.pages:
            words = f"Stopped at {self._options.pages} pages; the rest is not read."
            if words not in self.result.limits:
                self.result.limits.append(words)
            return
        answer, data = self._get(address, self._pages_on)
        if answer is None:
            return
        if answer.kind not in _HTML:
            self._keep(answer, data)
            return
        reading = read_page(read_html_source(data), self._lazy)
        base = base_of(answer.address, reading.base)
        if self._is_known_by_another_name(answer, data, base, depth):
            return
        self.result.pages += 1
        self._keep(answer, data)
        self._follow(reading, base, depth)

    def _is_known_by_another_name(self, answer: Fetched, data: bytes, base: str, depth: int) -> bool:
        """Whether a page was read already: under its canonical address, or (as / and /index.html) in the same folder.

        Its other addresses then lead to the one that is kept.
        """
        canonical = _canonical(data, base)
        if canonical and canonical != answer.address and urlsplit(canonical).netloc == self._host:
            known = self.result.seen.get(canonical)
            if known:
                self._names.also(answer.asked, known.path)
                return True
            if canonical not in self._known:
                self._push(canonical, depth)
        content = (sha256(data).hexdigest(), answer.address.rpartition("/")[0])
        same = self._contents.setdefault(content, answer.address)
        kept = self.result.seen.get(same) if same != answer.address else None
        if kept is None:
            return False
        for other in (answer.address, answer.asked, *answer.redirects):
            self._names.also(other, kept.path)
        return True

    def _follow(self, reading: PageReading, base: str, depth: int) -> None:
        """Notes what a page links to and names, to be read in its turn."""
        for link in reading.links:
            target = join(base, link.address)
            if target and _is_picture(target):
                self._want_image(target)
            elif target:
                self._push(target, depth + 1)
        for named in [*reading.stylesheets, *reading.manifests]:
            self._want(join(base, named))
        for reference in reading.references:
            self._want(join(base, reference.address))

    def _want_image(self, address: str) -> None:
        if self._is_wanted(urldefrag(address).url):
            self._want(address)

    def _want(self, address: str | None) -> None:
        if not address:
            return
        address = urldefrag(address).url
        if address not in self._known and server_of(address) in self._images_on:
            self._known.add(address)
            self._wanted.append(address)

    def _resource(self, address: str) -> None:
        answer, data = self._get(address, self._images_on)
        if answer is None:
            return
        self._keep(answer, data)
        if answer.kind == "text/css":
            source = read_css_source(data)
            sheet = read_css(source.text, source.decode)
            for named in [*(i.address for i in sheet.imports), *(r.address for r in sheet.references)]:
                self._want(join(answer.address, named))
        elif answer.kind in ("application/manifest+json", "application/json"):
            for found in re.finditer(rb'"src"\s*:\s*"((?:[^"\\]|\\.)*)"', data):
                self._want(join(answer.address, found.group(1).decode("utf-8", "replace")))

    def _get(self, address: str, servers: frozenset[Server]) -> tuple[Fetched | None, bytes]:
        """The answer and its content; (None, b"") where nothing came, which is then told."""
        before = self._earlier.get(address)
        resumed = before is not None and (self._into / before.path).exists()
        if before and resumed:
            data = (self._into / before.path).read_bytes()
            return Fetched(address, address, 200, before.kind, etag=before.etag, modified=before.modified), data
        known = before if before and self._content_of else None
        answer = self._fetcher.fetch(address, known.etag if known else "", known.modified if known else "", servers)
        if answer.problem:
            self._fault(address, answer.problem)
            return None, b""
        if answer.unchanged and known and self._content_of:
            same = Fetched(address, answer.address, 200, known.kind, etag=known.etag, modified=known.modified)
            return same, self._content_of(known.sha256)
        return answer, answer.data

    def _keep(self, answer: Fetched, data: bytes) -> None:
        path = self._names.give(answer.address, answer.kind, data)
        for address in (answer.asked, *answer.redirects):
            self._names.also(address, path)
        target = self._into / path
        if not target.exists():
            target.parent.mkdir(parents=True, exist_ok=True)
            replace_file(target, data)
        digest = sha256(data).hexdigest()
        seen = Seen(answer.address, path, answer.kind, digest, answer.etag, answer.modified)
        self.result.seen[answer.address] = seen
        self.result.bytes += len(data)
        with (self._into / _JOURNAL).open("a", encoding="utf-8") as journal:
            journal.write(json.dumps(asdict(seen)) + "\n")

    def _fault(self, address: str, message: str) -> None:
        self.result.faults.append(Fault("unreadable-address", address, message))


def _is_picture(address: str) -> bool:
    return re.search(r"\.(?:svg|png|jpe?g|webp|avif|gif|bmp|tiff?)$", urlsplit(address).path, re.IGNORECASE) is not None


def _canonical(data: bytes, base: str) -> str | None:
    """The canonical address that a page names: https://www.rfc-editor.org/rfc/rfc6596"""
    for tag in tags(data[:_HEAD_BYTES].decode("utf-8", "replace")):
        if tag.name == "link" and "canonical" in (tag.value("rel") or "").lower().split():
            address = join(base, (tag.value("href") or "").strip())
            return urldefrag(address).url if address else None
    return None
