"""A run's steps in the database: planned, each result kept as it comes, its pages settled at the end."""

from __future__ import annotations

import os
from collections.abc import Callable, Container, Iterable, Iterator, Mapping
from dataclasses import asdict, replace

from sqlalchemy import delete, func, insert, select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.formats.tiers import TIERS
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.reports.report import ByReference, PageRow
from ivory_thistle.core.reports.savings import Savings
from ivory_thistle.core.rewriting.delivery import NewFile
from ivory_thistle.core.selection.loads import Loaded
from ivory_thistle.core.states import State
from ivory_thistle.core.treatment.ladder import Plan, Step
from ivory_thistle.core.treatment.rendition import plain_fields
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.delivering import deliver
from ivory_thistle.workflows.kept import find_kept, open_kept
from ivory_thistle.workflows.made import made_by
from ivory_thistle.workflows.settings import site_screens
from ivory_thistle.workflows.storing import insert_rows, role_of
from ivory_thistle.workflows.treating import TaskResult, Treatment, treatment_of
from ivory_thistle.workflows.weights import stored_weights

_PROGRESS_EVERY, _SHOWN_FIRST = 4, 4
_WORTH_SKETCHING, _SECONDS = "THISTLE_SKETCH_FROM", 120
"""An environment variable, and what holds without it: what takes fewer seconds of a worker needs no sketches."""


def start_run(
    session: Session,
    capture_id: int,
    rules: Rules,
    plans: Iterable[Plan],
    costs: Mapping[str, float],
    chosen: frozenset[int] | None = None,
) -> t.Run:
    """A new run with a task for every plan; what is left alone says why.

    `costs` are the seconds that images are expected to take, by path. `chosen` are the images (ids) to treat; what an
    earlier run made of the others is carried over.
    """
    earlier = _done_tasks(session, capture_id) if chosen is not None else {}
    ids = dict(session.execute(select(t.Image.sha256, t.Image.id).where(t.Image.capture_id == capture_id)).all())
    run = t.Run(capture_id=capture_id, rules=rules.as_dict())
    session.add(run)
    session.flush()
    for planned in plans:
        facts = planned.image.facts
        if chosen is not None and ids[facts.sha256] not in chosen:
            _carry_over(session, run.id, ids[facts.sha256], facts.bytes, earlier.get(ids[facts.sha256]))
            continue
        state = "waiting" if planned.steps else "failed" if facts.problem else "left"
        session.add(
            t.Task(
                run_id=run.id, image_id=ids[facts.sha256], state=state, role=planned.role,
                widths=[s.width for s in planned.steps], dense=[s.width for s in planned.steps if s.dense],
                apart=list(planned.apart), cost=costs.get(planned.image.path, 0.0),
                pays_to_sketch=treatment_of(planned).pays_to_sketch,
                rules=planned.rules.as_dict() if planned.rules != rules else None, decided=list(planned.decided),
                reason=planned.reason, words=[], bytes_before=facts.bytes,
                bytes_after=facts.bytes, finished_at=None if planned.steps else t.now(),
            )
        )  # fmt: skip
    return run


def _done_tasks(session: Session, capture_id: int) -> dict[int, t.Task]:
    """The tasks that the newest finished run of a capture ended well, by image."""
    newest = session.scalar(
        select(t.Run.id)
        .where(t.Run.capture_id == capture_id, t.Run.state == State.DONE)
        .order_by(t.Run.id.desc())
        .limit(1)
    )
    rows = session.scalars(select(t.Task).where(t.Task.run_id == newest, t.Task.state == "done"))
    return {task.image_id: task for task in rows}


def _carry_over(session: Session, run_id: int, image_id: int, size: int, earlier: t.Task | None) -> None:
    task = t.Task(
        run_id=run_id, image_id=image_id, state="done" if earlier else "left",
        widths=earlier.widths if earlier else [], dense=earlier.dense if earlier else [],
        apart=earlier.apart if earlier else [], rules=earlier.rules if earlier else None,
        decided=earlier.decided if earlier else None,
        role=earlier.role if earlier else "content", reason="" if earlier else "Not among the images chosen.",
        words=earlier.words if earlier else [], bytes_before=size,
        bytes_after=earlier.bytes_after if earlier else size, finished_at=t.now(),
    )  # fmt: skip
    session.add(task)
    if not earlier:
        return
    session.flush()
    for r in session.scalars(select(t.Rendition).where(t.Rendition.task_id == earlier.id)):
        session.add(t.Rendition(task_id=task.id, **plain_fields(r)))


def waiting_tasks(session: Session, run_id: int, rules: Rules) -> dict[int, Treatment]:
    """The tasks still to be done by id: a few quick ones, so that something shows at once, then the dearest first.

    So the end is not one long wait.
    """
    rows = session.execute(
        select(t.Task, t.Image.facts, t.Image.kind)
        .join(t.Image, t.Image.id == t.Task.image_id)
        .where(t.Task.run_id == run_id, t.Task.state == "waiting")
        .order_by(t.Task.cost.desc(), t.Image.pixels.desc(), t.Task.id)
    ).all()
    begins = max(0, len(rows) - _SHOWN_FIRST)
    in_order = [*rows[begins:], *rows[:begins]]
    return {task.id: _treatment(task, ImageFacts(**facts), kind or None, rules) for task, facts, kind in in_order}


def first_pass(session: Session, run_id: int, waiting: Mapping[int, Treatment], kept_url: str) -> dict[int, Treatment]:
    """What comes before the waiting tasks themselves: sketches where these pay, and all else as it will be.

    Nothing, where little is to be sketched. What was treated before by the same rules is there at once, and needs no
    sketch.
    """
    rows = session.execute(select(t.Task.id, t.Task.cost, t.Task.sketched).where(t.Task.run_id == run_id)).all()
    kept = open_kept(kept_url)
    new = {task: cost for task, cost, sketched in rows if task in waiting and not sketched}
    dear = {
        task: cost for task, cost in new.items()
        if waiting[task].pays_to_sketch and find_kept(kept, waiting[task].key) is None
    }  # fmt: skip
    said = os.environ.get(_WORTH_SKETCHING, "")
    if kept is None or not dear or sum(dear.values()) < (int(said) if said.isdigit() else _SECONDS):
        return {}
    return {task: replace(one, sketch=task in dear) for task, one in waiting.items() if task in new}


def in_order(waiting: Mapping[int, Treatment], asked_first: Callable[[], Container[int]]) -> Iterator[int]:
    """The tasks in their order, but what is asked for first by then goes first; it is asked for each of them."""
    left = dict(waiting)
    while left:
        first = asked_first()
        task = next((key for key in left if key in first), next(iter(left)))
        del left[task]
        yield task


def asked_first(session: Session, run_id: int) -> frozenset[int]:
    """The waiting tasks that a person wants to be done before the others."""
    wanted = select(t.Task.id).where(t.Task.run_id == run_id, t.Task.state == "waiting", t.Task.asked_first)
    return frozenset(session.scalars(wanted))


def ask_for_page_first(session: Session, run_id: int, page_id: int) -> int:
    """Puts the waiting images of a page before all others; how many these are."""
    on_page = select(t.Placement.image_id).where(t.Placement.page_id == page_id, t.Placement.image_id.is_not(None))
    mine = (t.Task.run_id == run_id, t.Task.state == "waiting")
    session.execute(update(t.Task).where(*mine).values(asked_first=t.Task.image_id.in_(on_page)))
    return len(asked_first(session, run_id))


def _treatment(task: t.Task, facts: ImageFacts, kind: str | None, rules: Rules) -> Treatment:
    steps = tuple(Step(w, w in (task.dense or ())) for w in task.widths)
    own = Rules.from_dict(task.rules) if task.rules else rules
    return Treatment(
        facts=facts, steps=steps, rules=own, role=role_of(task.role), kind=kind, size=own.shape,
        apart=tuple(task.apart or ()),
    )  # fmt: skip


def keep_result(session: Session, task_id: int, result: TaskResult) -> None:
    """Stores what a worker made of one image, in place of its sketches."""
    task = _with_files(session, task_id, result)
    task.state, task.sketched = "failed" if result.reason else "done", False
    task.reason, task.words = result.reason, [*(task.decided or []), *result.words]
    task.finished_at = t.now()


def keep_sketches(session: Session, task_id: int, result: TaskResult) -> None:
    """Stores the sketches of an image that still waits; one that can't be sketched will say why when it is treated."""
    if result.renditions:
        _with_files(session, task_id, result).sketched = True


def _with_files(session: Session, task_id: int, result: TaskResult) -> t.Task:
    """A task with these files alone; `bytes_after` is what the most modern browser gets at most."""
    task = session.get_one(t.Task, task_id)
    session.execute(delete(t.Rendition).where(t.Rendition.task_id == task_id))
    rows = [{"task_id": task_id, **plain_fields(r)} for r in result.renditions]
    if rows:
        session.execute(insert(t.Rendition), rows)
    widest = {r.tier: r.bytes for r in sorted(result.renditions, key=lambda r: r.width)}
    task.bytes_after = next((widest[tier] for tier in TIERS if tier in widest), task.bytes_before)
    return task


def ask_again(session: Session, run_id: int) -> int:
    """Puts a run's failed tasks that could be done at all back to waiting; how many."""
    done = session.execute(
        update(t.Task)
        .where(t.Task.run_id == run_id, t.Task.state == "failed", func.json_length(t.Task.widths) > 0)
        .values(state="waiting", reason="", finished_at=None)
    )
    return int(done.rowcount)  # type: ignore[attr-defined]


def settle_run(run_id: int, sessions: sessionmaker[Session], blobs: Blobs, stop: Callable[[], bool]) -> bool:
    """Finds what the pages of a run whose tasks are done can bear, and keeps savings, limits and report.

    Without a browser, pages take the forms that are safe by their rules and tree. False where it was stopped.
    """
    with sessions() as session:
        run = session.get_one(t.Run, run_id)
        capture = session.get_one(t.Capture, run.capture_id)
        screens = site_screens(session.get_one(t.Site, capture.site_id))
        made, rules = made_by(session, run, blobs), Rules.from_dict(run.rules)
        said = (
            select(t.Image.path, t.Task.reason)
            .join(t.Task, t.Task.image_id == t.Image.id)
            .where(t.Task.run_id == run_id, t.Task.reason != "")
        )
        reasons = dict(session.execute(said).all())
        weights = stored_weights(session, run.capture_id)

    def on_page(done: int, total: int) -> None:
        if done % _PROGRESS_EVERY == 0 or done == total:
            counted = update(t.Run).where(t.Run.id == run_id).values(compared=done, to_compare=total)
            in_transaction(sessions, lambda session: session.execute(counted))

    def content(new: NewFile) -> bytes:
        return blobs.get(new.sha256)

    delivered = deliver(
        made.at_hand, made.treated, rules, screens, made.deliveries, content, reasons, on_page, stop, weights=weights
    )
    if delivered is None:
        return False

    def finish(session: Session) -> None:
        run = session.get_one(t.Run, run_id)
        run.limits, run.report = delivered.limits.as_dict(), delivered.report.as_dict()
        run.settled, run.taken_back = None, None
        session.execute(delete(t.PageLoad).where(t.PageLoad.run_id == run_id))
        keep_savings(session, run, delivered.handover.savings, delivered.by_reference)
        keep_loads(session, run, delivered.rows)

    in_transaction(sessions, finish)
    return True


def keep_savings(session: Session, run: t.Run, savings: Savings, whole: ByReference) -> None:
    """Stores the savings by reference of a settled run."""
    page_ids = _page_ids(session, run)
    session.execute(delete(t.PageSaving).where(t.PageSaving.run_id == run.id))
    rows = [
        {"run_id": run.id, "page_id": page_ids[p.path], "tier": tier, "before": p.before, "after": after}
        for p in savings.pages
        for tier, after in p.after.items()
    ]
    insert_rows(session, t.PageSaving, rows)
    run.savings = {"before": savings.before, **savings.after, "by_reference": asdict(whole)}


def keep_loads(session: Session, run: t.Run, rows: Iterable[PageRow]) -> None:
    """Stores what pages load, in place of what was stored of them."""
    page_ids = _page_ids(session, run)
    rows = list(rows)
    pages = {page_ids[row.page] for row in rows}
    session.execute(delete(t.PageLoad).where(t.PageLoad.run_id == run.id, t.PageLoad.page_id.in_(pages)))
    stored = [
        {
            "run_id": run.id, "page_id": page_ids[row.page], "screen": row.screen, "tier": row.tier,
            **{f"before_{name}": value for name, value in asdict(row.before).items()},
            **{f"after_{name}": value for name, value in asdict(row.after).items()},
            "changes": [[_plain(c.before), _plain(c.after)] for c in row.changes],
        }
        for row in rows
    ]  # fmt: skip
    insert_rows(session, t.PageLoad, stored)


def _page_ids(session: Session, run: t.Run) -> dict[str, int]:
    return dict(session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == run.capture_id)).all())


def _plain(loaded: Loaded | None) -> list[object] | None:
    return [loaded.path, loaded.bytes, loaded.opening] if loaded else None
