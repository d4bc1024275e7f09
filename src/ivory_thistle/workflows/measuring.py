"""A capture's pages measured in a browser, each result stored as it comes."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import asdict

from sqlalchemy import insert, select
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import UnusableInput
from ivory_thistle.core.selection.screen import DEFAULT_SCREENS, Screen
from ivory_thistle.intake.browser import PageMeasurement, browser_binary, measure_pages
from ivory_thistle.intake.site_server import serve_site
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs


def start_measurement(session: Session, capture_id: int) -> t.Measurement:
    """A new measurement of every page on the default screens. Raises UnusableInput without a browser."""
    if browser_binary() is None:
        raise UnusableInput("No browser is installed; install chromium-headless-shell to measure pages.")
    pages = session.get_one(t.Capture, capture_id).pages
    screens = [asdict(s) for s in DEFAULT_SCREENS]
    measurement = t.Measurement(capture_id=capture_id, state="waiting", screens=screens, total=pages * len(screens))
    session.add(measurement)
    session.flush()
    return measurement


def measure_capture(
    measurement_id: int, sessions: sessionmaker[Session], blobs: Blobs, stop: Callable[[], bool]
) -> None:
    """Measures what an earlier try has not; `stop` is asked between pages."""
    with sessions() as session:
        measurement = session.get_one(t.Measurement, measurement_id)
        screens = [Screen(**s) for s in measurement.screens]
        rows = session.execute(
            select(t.CaptureFile.path, t.CaptureFile.sha256, t.CaptureFile.image_id).where(
                t.CaptureFile.capture_id == measurement.capture_id
            )
        ).all()
        pages = dict(
            session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == measurement.capture_id)).all()
        )
        finished = set(
            session.execute(
                select(t.PageScreen.page_id, t.PageScreen.screen).where(t.PageScreen.measurement_id == measurement_id)
            ).all()
        )
    digests = {path: digest for path, digest, _ in rows}
    images = {path: image_id for path, _, image_id in rows if image_id}
    done = {
        (page, screen) for page, page_id in pages.items() for screen in screens if (page_id, screen.name) in finished
    }

    def keep(measured: PageMeasurement) -> None:
        shot = blobs.put(measured.screenshot) if measured.screenshot else None
        with sessions.begin() as session:
            _store(session, measurement_id, pages[measured.page], measured, images, shot)

    with serve_site(digests, lambda path: blobs.get(digests[path])) as address:
        measure_pages(
            address, sorted(pages), screens, keep, screenshots=True, skip=lambda p, s: (p, s) in done or stop()
        )


def _store(
    session: Session,
    measurement_id: int,
    page_id: int,
    measured: PageMeasurement,
    images: dict[str, int],
    screenshot: str | None,
) -> None:
    row = t.PageScreen(
        measurement_id=measurement_id,
        page_id=page_id,
        screen=measured.screen,
        opening=measured.opening_bytes,
        scrolled=measured.scrolled_bytes,
        requests=len(measured.requests),
        lcp_path=measured.lcp_path,
        lcp_element=measured.lcp_element[:64],
        layout_shift=measured.layout_shift,
        shifting=list(measured.shifting),
        errors=list(measured.errors),
        problem=measured.problem,
        screenshot=screenshot,
        loaded=[{"path": r.path, "bytes": r.bytes, "opening": r.opening} for r in measured.requests],
    )
    session.add(row)
    session.flush()
    slots = [
        {
            "page_screen_id": row.id, "image_id": images.get(p.path or ""), "kind": p.kind, "x": p.x, "y": p.y,
            "width": p.width, "height": p.height, "first_screen": p.first_screen, "lazy": p.lazy, "fit": p.fit[:32],
            "element": p.element[:255],
        }
        for p in measured.placements
    ]  # fmt: skip
    if slots:
        session.execute(insert(t.Slot), slots, execution_options={"render_nulls": True})
