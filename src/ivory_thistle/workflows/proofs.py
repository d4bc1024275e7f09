"""Proofs of a run in the database: what is judged, in which order eyes are asked for, and what a person said."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from hashlib import sha256
from typing import Any, Literal

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.proof.judging import Judged
from ivory_thistle.core.proof.queue import Asked, Candidate, in_order
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.proving import Proof, Proven, Shown, file_to_judge
from ivory_thistle.workflows.storing import role_of
from ivory_thistle.workflows.trying import judge_stored, show_stored
from ivory_thistle.workflows.workers import Call, Workers

Said = Literal["accept", "hold", "tighter", "lighter"]
Before = tuple[Said | None, str]
"""A verdict and its note."""
_SECONDS = 120.0
_NOT_YET = "It is not judged yet."
_LISTED = tuple(c for c in t.Rendition.__table__.columns if c.name not in ("how", "points"))
"""What a queue needs of renditions: there may be many thousands, in memory for as long as they are looked at."""


@dataclass(frozen=True, slots=True)
class InQueue:
    """An image of a run in its place in the queue, with the reasons why eyes are asked for.

    `task`, `image` and `renditions` are rows of their tables' columns, but for how renditions were made. `judged` is
    None where a picture can't be judged or was not yet; `why_not` tells which. `made` tells whether its files are still
    the same, `said` is the verdict on these very files.
    """

    task: Any
    image: Any
    renditions: tuple[Any, ...]
    chosen: Any
    goal: float
    judged: Judged | None
    why_not: str
    reasons: tuple[str, ...]
    made: str
    said: Any = None

    @property
    def is_looked_at(self) -> bool:
        """Whether it has a score, or is known to have none."""
        return self.why_not != _NOT_YET


def made_digest(renditions: Iterable[Any]) -> str:
    """What tells whether the files of an image are still the same."""
    return sha256("\n".join(sorted(r.sha256 for r in renditions)).encode()).hexdigest()


def verdicts_of(session: Session, site_id: int) -> dict[str, Any]:
    """All that was said of a site's images (rows of `Verdict`), by the original's SHA-256."""
    columns = t.Verdict.__table__.columns
    return {v.original: v for v in session.execute(select(*columns).where(t.Verdict.site_id == site_id))}


def queue_of(session: Session, run: t.Run, image_id: int | None = None) -> list[InQueue]:
    """What a run made, image by image: those that ask for eyes first, then the others by their savings.

    With `image_id`, of that image alone.
    """
    return with_verdicts(session, run, queue_without_verdicts(session, run, image_id))


def with_verdicts(session: Session, run: t.Run, queue: Iterable[InQueue]) -> list[InQueue]:
    """The same queue with what people have said of these very files."""
    said = verdicts_of(session, session.get_one(t.Capture, run.capture_id).site_id)
    return [
        replace(one, said=verdict) if (verdict := said.get(one.image.sha256)) and verdict.made == one.made else one
        for one in queue
    ]


def queue_without_verdicts(session: Session, run: t.Run, image_id: int | None = None) -> list[InQueue]:
    """The queue of a run as it follows from files and scores: it stays the same once everything has its score."""
    rules = Rules.from_dict(run.rules)
    found: dict[str, InQueue] = {}
    candidates: list[Candidate] = []
    for task, image, renditions in _made(session, run.id, image_id):
        chosen = file_to_judge(renditions, lambda r: (r.tier, r.width))
        proof = task.proof if task.proof and task.proof.get("rendition") == chosen.sha256 else None
        judged = Judged.from_dict(proof["judged"]) if proof and proof["judged"] else None
        own = Rules.from_dict(task.rules) if task.rules else rules
        goal = 0 if own.fixed or own.cap else own.fidelity_for(role_of(task.role), image.kind, dense=True)
        why_not = "" if judged else (proof["why_not"] if proof else _NOT_YET)
        made = made_digest(renditions)
        found[image.path] = InQueue(task, image, renditions, chosen, goal, judged, why_not, (), made)
        if judged:
            saved = image.bytes - chosen.bytes
            candidates.append(Candidate(image.path, role_of(task.role), image.kind, goal, saved, judged))
    asked = in_order(candidates)
    first = [_with_reasons(found.pop(one.candidate.path), one.reasons) for one in asked if one.reasons]
    others = [_with_reasons(found.pop(one.candidate.path), ()) for one in asked if not one.reasons]
    return [*first, *found.values(), *others]


def _with_reasons(one: InQueue, reasons: tuple[str, ...]) -> InQueue:
    words = (word for word in one.task.words if "can't keep this look" in word)
    return replace(one, reasons=(*reasons, *words))


def _made(session: Session, run_id: int, image_id: int | None = None) -> list[tuple[Any, Any, tuple[Any, ...]]]:
    """Rows of tasks, images and renditions: their columns alone, since there may be many thousands."""
    mine = [t.Task.run_id == run_id, t.Task.state == "done"]
    if image_id is not None:
        mine.append(t.Task.image_id == image_id)
    tasks = session.execute(
        select(t.Task.id, t.Task.image_id, t.Task.role, t.Task.words, t.Task.rules, t.Task.proof)
        .where(*mine)
        .order_by(t.Task.bytes_before.desc(), t.Task.id)
    ).all()
    columns = (t.Image.id, t.Image.path, t.Image.sha256, t.Image.kind, t.Image.bytes, t.Image.facts)
    shown = t.Image.thumbnail.is_not(None).label("has_thumbnail")
    rows = session.execute(select(*columns, shown).join(t.Task, t.Task.image_id == t.Image.id).where(*mine))
    images = {image.id: image for image in rows}
    files: dict[int, list[Any]] = defaultdict(list)
    wanted = select(*_LISTED).join(t.Task, t.Task.id == t.Rendition.task_id).where(*mine)
    for rendition in session.execute(wanted.order_by(t.Rendition.id)):
        files[rendition.task_id].append(rendition)
    return [(task, images[task.image_id], tuple(files[task.id])) for task in tasks if files[task.id]]


def said_of(session: Session, run: t.Run) -> dict[str, dict[str, str]]:
    """What people said of a run's images, by path: the verdict and the note, each where there is one."""
    rows = ((one.image.path, one.said) for one in queue_of(session, run) if one.said)
    return {
        path: {name: words for name, words in (("verdict", said.verdict), ("note", said.note)) if words}
        for path, said in rows
    }


def judge_run(run_id: int, sessions: sessionmaker[Session], blobs: Blobs, stop: Callable[[], bool]) -> None:
    """Judges every image of a run that was not yet, and keeps what comes of it one by one."""
    with sessions() as session:
        run = session.get_one(t.Run, run_id)
        waiting = [one for one in queue_of(session, run) if not one.is_looked_at]
        chosen = {one.task.id: one.chosen.sha256 for one in waiting}
        facts = {one.task.id: ImageFacts(**one.image.facts) for one in waiting}
    calls = (Call(key, judge_stored, (blobs.url, fact, chosen[key]), _SECONDS) for key, fact in facts.items())
    with Workers() as workers:
        for outcome in workers.run(calls, stop):
            key = int(str(outcome.key))
            _keep(sessions, key, chosen[key], outcome.value, str(outcome.error) if outcome.error else "")


def _keep(sessions: sessionmaker[Session], task_id: int, rendition: str, judged: Judged | None, why_not: str) -> None:
    proof = {"rendition": rendition, "judged": judged.as_dict() if judged else None, "why_not": why_not}
    kept = update(t.Task).where(t.Task.id == task_id).values(proof=proof)
    in_transaction(sessions, lambda session: session.execute(kept))


def stored_proof(session: Session, run: t.Run, blobs: Blobs, most: int) -> Proof:
    """A run's proof for a page of its own: pictures of the first `most` that are judged, the others as a list."""
    queue = queue_of(session, run)
    judged = [one for one in queue if one.judged]
    calls = (
        Call(one.image.path, show_stored, (blobs.url, ImageFacts(**one.image.facts), one.chosen.sha256), _SECONDS)
        for one in judged[:most]
    )
    with Workers() as workers:
        shown = {str(o.key): o.value for o in workers.run(calls) if not o.error}
    proven = tuple(_proven(one, shown.get(one.image.path, Shown(b"", b"", ()))) for one in judged)
    return Proof(proven, {one.image.path: one.why_not for one in queue if not one.judged})


def _proven(one: InQueue, shown: Shown) -> Proven:
    assert one.judged is not None
    candidate = Candidate(
        one.image.path, role_of(one.task.role), one.image.kind, one.goal, one.image.bytes - one.chosen.bytes, one.judged
    )
    file = {name: getattr(one.chosen, name) for name in ("tier", "format", "width", "height", "bytes", "settings")}
    return Proven(Asked(candidate, one.reasons), file, one.image.bytes, shown)


def held(session: Session, run: t.Run) -> frozenset[str]:
    """The originals (SHA-256) that stay as they are, since a person holds what was made of them."""
    site_id = session.get_one(t.Capture, run.capture_id).site_id
    said = {digest: v.made for digest, v in verdicts_of(session, site_id).items() if v.verdict == "hold"}
    if not said:
        return frozenset()
    made = {image.sha256: made_digest(renditions) for _, image, renditions in _made(session, run.id)}
    return frozenset(digest for digest, files in said.items() if made.get(digest) == files)


def say(session: Session, run: t.Run, image: t.Image, said: Said | None, note: str) -> Before:
    """Keeps a verdict on what a run made of an image (None: none any more); gives what was said before."""
    site_id = session.get_one(t.Capture, run.capture_id).site_id
    files = [renditions for _, _, renditions in _made(session, run.id, image.id)]
    row = session.scalar(
        select(t.Verdict).where(t.Verdict.site_id == site_id, t.Verdict.original == image.sha256).with_for_update()
    )
    made = made_digest(files[0]) if files else ""
    before: Before = (row.verdict or None, row.note) if row and row.made == made else (None, "")  # type: ignore[assignment]
    if said is None and not note:
        if row:
            session.delete(row)
    else:
        row = row or t.Verdict(site_id=site_id, original=image.sha256)
        row.made, row.verdict, row.note, row.said_at = made, said or "", note, t.now()
        session.add(row)
    session.flush()
    return before
