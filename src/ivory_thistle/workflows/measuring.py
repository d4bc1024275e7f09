"""A capture's pages measured in a browser, or estimated without one; each result is stored as it comes."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import asdict, dataclass, replace
from functools import lru_cache

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.formats.tiers import TIERS, Tier, measured_tier, shown_by
from ivory_thistle.core.references.site import SiteReading
from ivory_thistle.core.selection.loads import Load, Loaded, PageOnScreens, estimated
from ivory_thistle.core.selection.older_tiers import loaded_in_tier
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.intake.browser import MeasuredPlacement, PageMeasurement, measure_pages
from ivory_thistle.intake.chromium import browser_binary
from ivory_thistle.intake.folder import Folder
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.clock import in_time
from ivory_thistle.workflows.looks import Looks
from ivory_thistle.workflows.progress import Progress, nothing
from ivory_thistle.workflows.reading import page_failed
from ivory_thistle.workflows.settings import site_screens
from ivory_thistle.workflows.storing import insert_rows, stored_site
from ivory_thistle.workflows.weights import weight_row

Weights = Mapping[Tier, Sequence[Loaded]]
"""What a page loads in each tier."""


class Weigher:
    """Says what pages of a site load in every tier, from a measurement or from markup alone."""

    def __init__(self, site: SiteReading, read: Callable[[str], bytes]) -> None:
        self._site = site
        # Pages come with all their screens together, so a few are enough.
        self._page = lru_cache(4)(lambda path: PageOnScreens(path, site, read))

    def weights(self, measured: PageMeasurement, screen: Screen) -> Weights:
        """Measured for Chromium's own tier, chosen anew from the markup for the others."""
        if not measured.measured:
            page = self._page(measured.page)
            return {tier: estimated(page.loads(screen, shown_by(tier)), self._site.files.__getitem__) for tier in TIERS}
        older: dict[Tier, Sequence[Loaded]] = {
            tier: loaded_in_tier(
                measured.requests, self._page(measured.page), screen, tier, self._site.files.__getitem__
            )
            for tier in TIERS
            if tier != measured_tier() and measured.requests
        }
        return {measured_tier(): measured.requests, **older}

    def estimate(self, path: str, screen: Screen) -> PageMeasurement:
        """A page on a screen as its markup lets one guess it; boxes have no place."""
        loads = self._page(path).loads(screen, shown_by(measured_tier()))
        requests = estimated(loads, self._site.files.__getitem__)
        placements = tuple(_box(load) for load in loads if load.kind != "preload")
        return PageMeasurement(path, screen.name, placements, requests, measured=False)


def _box(load: Load) -> MeasuredPlacement:
    return MeasuredPlacement(
        kind=load.kind, path=load.path, address=load.address, x=0, y=0, width=load.width, height=load.height,
        first_screen=not load.lazy, lazy=load.lazy, fit=load.fit, element=load.element,
        alt=load.alt,
    )  # fmt: skip


def measure_site(
    site: SiteReading,
    read: Callable[[str], bytes],
    screens: Sequence[Screen],
    on_page: Callable[[PageMeasurement, Weights], None],
    looks: Looks | None = None,
    skip: Callable[[str, Screen], bool] = lambda page, screen: False,
) -> None:
    """Measures every page of a site on every screen, or estimates where no browser is installed.

    What is seen of pages is kept in `looks` where these are given. `skip` is asked right before each page and screen.
    """
    weigher = Weigher(site, read)
    pages = sorted(p.path for p in site.pages if p.path in site.files)
    by_name = {s.name: s for s in screens}
    # Only a site read from the web has addresses under other hosts that its own files answer for.
    elsewhere = read if site.own_hosts or site.aliases else None

    def told(measured: PageMeasurement) -> None:
        # What comes from other hosts is answered here, and nowhere else.
        if looks and measured.seen and elsewhere is None and not measured.problem:
            looks.keep(measured.page, by_name[measured.screen], measured.seen)
        try:
            weights = weigher.weights(measured, by_name[measured.screen])
        except Exception as error:
            # One page that can't be followed is its own problem.
            page_failed(measured.page, error)
            words = f"What {measured.page} loads in older browsers can't be told ({type(error).__name__})."
            measured, weights = (
                replace(measured, problem=measured.problem or words),
                {measured_tier(): measured.requests},
            )
        on_page(measured, weights)

    def estimate(path: str, screen: Screen) -> PageMeasurement:
        try:
            with in_time(site.files[path].bytes):
                return weigher.estimate(path, screen)
        except Exception as error:
            page_failed(path, error)
            words = f"What {path} loads can't be told ({type(error).__name__})."
            return PageMeasurement(path, screen.name, problem=words, measured=False)

    if browser_binary() is None:
        for path in pages:
            for screen in screens:
                if not skip(path, screen):
                    told(estimate(path, screen))
        return
    with serve_site(site.files, read, site.aliases) as address:
        measure_pages(
            address, pages, screens, told, looks=looks is not None, skip=skip, index=site.index, read=elsewhere
        )


def measure_folder(
    folder: Folder,
    site: SiteReading,
    screens: Sequence[Screen],
    on_page: Progress = nothing,
    looks: Looks | None = None,
) -> list[tuple[PageMeasurement, Weights]]:
    """Measures every page of a folder on every screen; estimates where no browser is installed."""
    done: list[tuple[PageMeasurement, Weights]] = []

    def one(measurement: PageMeasurement, weights: Weights) -> None:
        done.append((measurement, weights))
        on_page(len(done), len(site.pages) * len(screens))

    measure_site(site, folder.read, screens, one, looks)
    order = {s.name: n for n, s in enumerate(screens)}
    return sorted(done, key=lambda m: (m[0].page, order[m[0].screen]))


def start_measurement(session: Session, capture_id: int) -> t.Measurement:
    """A new measurement of every page on the site's screens."""
    capture = session.get_one(t.Capture, capture_id)
    screens = site_screens(session.get_one(t.Site, capture.site_id))
    measurement = t.Measurement(
        capture_id=capture_id,
        screens=[asdict(s) for s in screens],
        estimated=browser_binary() is None,
        total=capture.pages * len(screens),
    )
    session.add(measurement)
    session.flush()
    return measurement


@dataclass(frozen=True, slots=True)
class _Keys:
    """The rows that a measurement of a capture leads to, by path."""

    pages: dict[str, int]
    images: dict[str, int]


def measure_capture(
    measurement_id: int, sessions: sessionmaker[Session], blobs: Blobs, stop: Callable[[], bool]
) -> None:
    """Measures what an earlier try has not; `stop` is asked between pages."""
    with sessions() as session:
        measurement = session.get_one(t.Measurement, measurement_id)
        capture_id = measurement.capture_id
        screens = [Screen(**s) for s in measurement.screens]
        site, read = stored_site(session, capture_id, blobs)
        keys = _keys(session, capture_id)
        finished = set(
            session.execute(
                select(t.PageScreen.page_id, t.PageScreen.screen).where(t.PageScreen.measurement_id == measurement_id)
            ).all()
        )

    def keep(measured: PageMeasurement, weights: Weights) -> None:
        picture = measured.seen.picture if measured.seen else None
        shot = blobs.put(picture) if picture else None
        in_transaction(sessions, lambda session: _store(session, measurement_id, keys, measured, weights, shot))

    def skip(path: str, screen: Screen) -> bool:
        return (keys.pages[path], screen.name) in finished or stop()

    measure_site(site, read, screens, keep, Looks(site, blobs), skip)


def _keys(session: Session, capture_id: int) -> _Keys:
    pages = session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == capture_id)).all()
    images = session.execute(
        select(t.CaptureFile.path, t.CaptureFile.image_id).where(
            t.CaptureFile.capture_id == capture_id, t.CaptureFile.image_id.is_not(None)
        )
    ).all()
    return _Keys(dict(pages), {path: key for path, key in images if key})


def _store(
    session: Session,
    measurement_id: int,
    keys: _Keys,
    measured: PageMeasurement,
    weights: Weights,
    screenshot: str | None,
) -> None:
    row = t.PageScreen(
        measurement_id=measurement_id,
        page_id=keys.pages[measured.page],
        screen=measured.screen,
        lcp_path=measured.lcp_path,
        lcp_element=measured.lcp_element[:64],
        layout_shift=measured.layout_shift,
        shifting=list(measured.shifting),
        errors=list(measured.errors),
        problem=measured.problem,
        screenshot=screenshot,
    )
    session.add(row)
    session.flush()
    for tier, loaded in weights.items():
        session.add(weight_row(row, tier, loaded))
    session.execute(update(t.Measurement).where(t.Measurement.id == measurement_id).values(tries=0))
    slots = [
        {
            "page_screen_id": row.id, "image_id": keys.images.get(p.path or ""), "kind": p.kind, "x": p.x, "y": p.y,
            "width": p.width, "height": p.height, "first_screen": p.first_screen, "lazy": p.lazy, "fit": p.fit[:32],
            "element": p.element[:255], "alt": p.alt, "around": p.around[:255],
        }
        for p in measured.placements
    ]  # fmt: skip
    insert_rows(session, t.Slot, slots)
