"""Checks of a run's handover in the database: asked for, seen through page by page, and answered by taking back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict

from sqlalchemy import func, select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.reports.predicted import families_of
from ivory_thistle.core.reports.report import page_rows
from ivory_thistle.core.rewriting.offers import Form
from ivory_thistle.core.rewriting.site import Limits
from ivory_thistle.core.selection.screen import Screen
from ivory_thistle.core.states import State
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.checked import Checked
from ivory_thistle.workflows.checking import Checker
from ivory_thistle.workflows.delivering import by_reference
from ivory_thistle.workflows.made import HandedOver, handover_of
from ivory_thistle.workflows.manifest import Verdict
from ivory_thistle.workflows.proofs import Before, Said, say
from ivory_thistle.workflows.runs import keep_loads, keep_savings
from ivory_thistle.workflows.served import Side, checkable_tiers
from ivory_thistle.workflows.settings import site_screens
from ivory_thistle.workflows.settling import Settler
from ivory_thistle.workflows.weights import stored_weights

_SAME = (
    "page_id", "screen", "tier", "before", "after", "weights", "foretold", "failed", "sure", "wrong", "score", "spot",
    "timed", "picture_before", "picture_after", "content",
)  # fmt: skip


def start_check(session: Session, run: t.Run) -> t.Check:
    """A new check of a finished run, on the site's screens in every tier that Chromium can stand for."""
    capture = session.get_one(t.Capture, run.capture_id)
    screens, tiers = site_screens(session.get_one(t.Site, capture.site_id)), checkable_tiers()
    check = t.Check(
        run_id=run.id, screens=[asdict(s) for s in screens], tiers=list(tiers),
        total=_pages(session, run.capture_id) * len(screens) * len(tiers),
    )  # fmt: skip
    session.add(check)
    session.flush()
    return check


def _pages(session: Session, capture_id: int) -> int:
    """The pages that can be loaded: a folder of pictures can't."""
    count = select(func.count()).where(t.Page.capture_id == capture_id, t.Page.path.not_like("%/"))
    return session.scalar(count) or 0


def newest_check(session: Session, run_id: int) -> t.Check | None:
    """The check of a run that was asked for last."""
    return session.scalar(select(t.Check).where(t.Check.run_id == run_id).order_by(t.Check.id.desc()).limit(1))


def counted(session: Session, check: t.Check) -> tuple[int, int, int]:
    """How many loads are checked, how many of these failed, and how many pages among them can't be compared."""
    row = session.execute(
        select(func.count(), func.coalesce(func.sum(t.CheckedLoad.failed), 0),
               func.coalesce(func.sum(~t.CheckedLoad.sure), 0))
        .where(t.CheckedLoad.check_id == check.id)
    ).one()  # fmt: skip
    return int(row[0]), int(row[1]), int(row[2])


def verdict_on(session: Session, run: t.Run, content: str) -> Verdict | None:
    """What the newest check said of this very handover; None where none came to its end."""
    check = newest_check(session, run.id)
    if check is None or check.state != State.DONE or check.content != content:
        return None
    done, failed, _ = counted(session, check)
    at = check.finished_at.isoformat(timespec="seconds") + "Z" if check.finished_at else ""
    return Verdict(at, done, failed, tuple(s["name"] for s in check.screens), tuple(check.tiers))


def check_run(check_id: int, sessions: sessionmaker[Session], blobs: Blobs, stop: Callable[[], bool]) -> bool:
    """Checks what an earlier try has not; pages that an earlier check saw as they are now are not loaded again.

    False where it was stopped. Raises UnusableInput where no browser is.
    """
    with sessions() as session:
        check = session.get_one(t.Check, check_id)
        run = session.get_one(t.Run, check.run_id)
        screens, tiers = [Screen(**s) for s in check.screens], list(check.tiers)
        handed_over = handover_of(session, run, blobs)
        found = select(t.Page.path, t.Page.id).where(t.Page.capture_id == run.capture_id)
        keys = dict(session.execute(found).all())
    contents = {page.path: handed_over.content_of(page) for page in handed_over.site.pages}
    content = handed_over.content
    in_transaction(sessions, lambda session: _take_over(session, check_id, keys, contents, content))
    with sessions() as session:
        load = t.CheckedLoad
        rows = session.execute(select(load.page_id, load.screen, load.tier).where(load.check_id == check_id))
        done = {tuple(row) for row in rows}

    def keep(checked: Checked) -> None:
        pictures = tuple(map(blobs.put, checked.pictures or ())) or (None, None)
        row = _row(check_id, keys[checked.page], checked, contents[checked.page], pictures)

        def store(session: Session) -> None:
            session.add(t.CheckedLoad(**row))
            session.execute(update(t.Check).where(t.Check.id == check_id).values(tries=0))

        in_transaction(sessions, store)

    before, (site, read) = Side(handed_over.site, handed_over.read), handed_over.after()
    checker = Checker(before, Side(site, read, handed_over.given()), screens, tiers, True, handed_over.at_hand.look_up)
    checker.run(keep, stop, lambda page, screen, tier: (keys[page], screen, tier) in done)
    return not stop()


def _take_over(session: Session, check_id: int, keys: dict[str, int], contents: dict[str, str], content: str) -> None:
    """Notes what is checked, drops what an earlier try saw of another handover, and takes over what is the same."""
    check = session.get_one(t.Check, check_id)
    check.content = content
    check.taken_back = session.get_one(t.Run, check.run_id).taken_back
    now = {keys[path]: digest for path, digest in contents.items()}
    there: set[tuple[int, str, str]] = set()
    for load in session.scalars(select(t.CheckedLoad).where(t.CheckedLoad.check_id == check_id)):
        if load.content == now.get(load.page_id):
            there.add((load.page_id, load.screen, load.tier))
        else:
            session.delete(load)
    session.flush()
    earlier = session.scalar(
        select(t.Check.id).where(t.Check.run_id == check.run_id, t.Check.id < check_id).order_by(t.Check.id.desc())
    )
    screens = [s["name"] for s in check.screens]
    for load in session.scalars(select(t.CheckedLoad).where(t.CheckedLoad.check_id == earlier)):
        key = (load.page_id, load.screen, load.tier)
        fits = load.screen in screens and load.tier in check.tiers
        # What failed is looked at again: it may have been this machine.
        if load.content == now.get(load.page_id) and fits and key not in there and not load.failed:
            session.add(t.CheckedLoad(check_id=check_id, **{name: getattr(load, name) for name in _SAME}))


def _row(
    check_id: int, page_id: int, checked: Checked, content: str, pictures: Sequence[str | None]
) -> dict[str, object]:
    return {
        "check_id": check_id, "page_id": page_id, "screen": checked.screen, "tier": checked.tier,
        "before": checked.before, "after": checked.after,
        "weights": dict(zip(("before", "after"), map(asdict, checked.weights), strict=True)),
        "foretold": checked.foretold,
        "failed": bool(checked.wrong), "sure": checked.sure, "wrong": [asdict(w) for w in checked.wrong],
        "score": checked.score, "spot": asdict(checked.spot) if checked.spot else None,
        "timed": asdict(checked.timed) if checked.timed else None,
        "picture_before": pictures[0], "picture_after": pictures[1], "content": content,
    }  # fmt: skip


def take_back(session: Session, run: t.Run, path: str, at: int, leave: bool, blobs: Blobs) -> HandedOver | None:
    """Gives an `img` of a page (where its tag begins in the original) the next safer form, or leaves it alone.

    The page is rewritten and predicted anew; None where it has no such image that could take another form.
    """
    now = handover_of(session, run, blobs)
    form = now.rewrite.forms.get(path, {}).get(at, Form.LEFT)
    if form == Form.LEFT:
        return None
    wanted = Form.LEFT if leave else Form(form - 1)
    run.settled = run.settled or run.limits
    run.taken_back = [*(run.taken_back or []), {"page": path, "at": at, "form": int(wanted)}]
    return _within(session, run, {path}, now)


def give_back(session: Session, run: t.Run, blobs: Blobs) -> HandedOver | None:
    """Undoes the last `take_back`; None where there is none."""
    if not run.taken_back:
        return None
    *run.taken_back, last = run.taken_back
    return _within(session, run, {last["page"]}, handover_of(session, run, blobs))


def _within(session: Session, run: t.Run, pages: set[str], before: HandedOver) -> HandedOver:
    """The run's handover within what was settled and what the person took back; savings follow."""
    assert run.settled is not None
    limits = Limits.from_dict(run.settled)
    for one in run.taken_back or []:
        forms = limits.forms[one["page"]]
        forms[one["at"]] = min(forms.get(one["at"], Form.FREE), Form(one["form"]))
    return _recounted(session, run, pages, limits, before)


def say_of_image(session: Session, run: t.Run, image: t.Image, said: Said | None, note: str, blobs: Blobs) -> Before:
    """Keeps a verdict; where the original stays by it, or no longer does, handover and savings follow at once."""
    before = say(session, run, image, said, note)
    if said != before[0] and "hold" in (said, before[0]) and run.limits:
        pages = set(
            session.scalars(
                select(t.Page.path).join(t.Placement, t.Placement.page_id == t.Page.id)
                .where(t.Placement.image_id == image.id)
            )
        )  # fmt: skip
        _recounted(session, run, pages, Limits.from_dict(run.limits), handover_of(session, run, blobs))
    return before


def _recounted(session: Session, run: t.Run, pages: set[str], limits: Limits, now: HandedOver) -> HandedOver:
    """The handover within these limits; what these pages load, and the savings, are counted anew."""
    capture = session.get_one(t.Capture, run.capture_id)
    screens = site_screens(session.get_one(t.Site, capture.site_id))
    site, deliveries, slots = now.site, now.deliveries, now.at_hand.slots
    settled = Settler(site, deliveries, now.read, screens, slots=slots).keep_light(limits, pages)
    run.limits = limits.as_dict()
    session.flush()
    after = handover_of(session, run, now.blobs)
    keep_savings(session, run, after.handover.savings, by_reference(after.at_hand, after.handover, deliveries))
    seen = stored_weights(session, run.capture_id)
    keep_loads(session, run, page_rows(settled.loads, families_of(site, deliveries), seen))
    session.flush()
    return after
