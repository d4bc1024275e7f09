"""Pages known by their requests, from a HAR file: joined with what was read, and weighed by what went over the wire."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from hashlib import sha256
from urllib.parse import unquote, urlsplit

from sqlalchemy import select
from sqlalchemy.orm import Session

from ivory_thistle.core.formats.tiers import measured_tier
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.references.site import Image, Page, Placement, SiteFile, SiteReading
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.states import State
from ivory_thistle.intake.har import Har
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.weights import weight_row

SCREEN = "recorded"
"""Stands for the screen of a HAR file, which does not tell its size."""
_ELEMENT = "request"
_LONGEST_PATH = 1_000


def requests_of(har: Har) -> tuple[dict[str, list[Loaded]], list[SiteFile]]:
    """Image requests by page path, and a file for every image whose content the HAR does not hold."""
    requests: dict[str, list[Loaded]] = {}
    bare: dict[str, SiteFile] = {}
    for page in har.pages:
        found = requests.setdefault(page_path(page.address, page.path), [])
        for r in page.requests:
            path = r.path or _path_of(r.address) or "image"
            if r.path is None:
                digest = sha256(r.address.encode()).hexdigest()
                facts = ImageFacts(r.kind, 0, 0, r.bytes, digest, problem="is not in the HAR file, only its size")
                bare[path] = SiteFile(path, digest, r.bytes, facts)
            found.append(Loaded(r.address, path, r.bytes, not r.after_load))
    return requests, list(bare.values())


def page_path(address: str, path: str | None) -> str:
    """The path under which a page is listed: that of its HTML, else of its address."""
    return path or _path_of(address) or "index.html"


def _path_of(address: str) -> str:
    """The path of an address, cut where it is longer than paths may be."""
    return unquote(urlsplit(address).path).lstrip("/")[:_LONGEST_PATH]


def with_requests(site: SiteReading, requests: Mapping[str, Sequence[Loaded]]) -> SiteReading:
    """The site with every image that a page was seen to ask for among the page's files."""
    if not requests:
        return site
    pages = {p.path: p for p in site.pages if not p.is_folder}
    for path, asked in requests.items():
        page = pages.get(path) or Page(path, "", "", 0, (), 0, (), (), ())
        more = [r for r in asked if r.path in site.files and r.path not in page.files]
        files = (*page.files, *dict.fromkeys(r.path for r in more))
        places = tuple(Placement(path, r.path, r.path, _ELEMENT, "", path, 0, 0, 0) for r in more)
        pages[path] = replace(
            page, files=files, image_bytes=sum(site.files[f].bytes for f in files),
            placements=(*page.placements, *places),
        )  # fmt: skip
    ordered = tuple(pages[p] for p in sorted(pages))
    images = tuple(_with_pages(i, ordered) for i in site.images)
    return replace(site, pages=ordered, images=images, by_path={p: i for i in images for p in i.paths})


def _with_pages(image: Image, pages: Sequence[Page]) -> Image:
    paths = set(image.paths)
    return replace(image, pages=tuple(p.path for p in pages if paths.intersection(p.files)))


def store_requests(
    session: Session, capture: t.Capture, site: SiteReading, requests: Mapping[str, Sequence[Loaded]]
) -> None:
    """Keeps what went over the wire as a measurement on a screen of its own."""
    ids = dict(session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == capture.id)).all())
    screens = [{"name": SCREEN, "width": 1440, "height": 900, "density": 1.0, "dark": False}]
    measurement = t.Measurement(
        capture_id=capture.id, state=State.DONE, screens=screens, total=len(requests), started_at=t.now(),
        finished_at=t.now(),
    )  # fmt: skip
    session.add(measurement)
    session.flush()
    for path, asked in requests.items():
        seen = t.PageScreen(
            measurement_id=measurement.id, page_id=ids[path], screen=SCREEN, lcp_element="", layout_shift=0.0,
            shifting=[], errors=[], problem="",
        )  # fmt: skip
        session.add(seen)
        session.flush()
        session.add(weight_row(seen, measured_tier(), asked))


def stored_requests(session: Session, capture: t.Capture) -> dict[str, list[Loaded]]:
    """What `store_requests` kept; empty for captures of other origins."""
    if capture.origin != "har":
        return {}
    rows = session.execute(
        select(t.Page.path, t.PageWeight.loaded)
        .join(t.PageScreen, t.PageScreen.page_id == t.Page.id)
        .join(t.PageWeight, t.PageWeight.page_screen_id == t.PageScreen.id)
        .where(t.Page.capture_id == capture.id, t.PageWeight.screen == SCREEN)
    )
    return {path: [Loaded(r["path"], r["path"], r["bytes"], r["opening"]) for r in loaded] for path, loaded in rows}
