"""Samples: some images treated in advance, so that a forecast rests on more than a model."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.errors import EncodeError, PictureError
from ivory_thistle.core.forecast.pages import NOTHING_STAYS, Stays
from ivory_thistle.core.forecast.probes import Probe, probe
from ivory_thistle.core.images.facts import ImageFacts
from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs, StorageError
from ivory_thistle.store.database import in_transaction
from ivory_thistle.workflows.at_hand import AtHand, stored_at_hand
from ivory_thistle.workflows.forecasting import Foretold, foretell, originals_that_stay, sample_of, to_sketch
from ivory_thistle.workflows.kept import kept_url
from ivory_thistle.workflows.progress import StoppedError
from ivory_thistle.workflows.settings import site_policy, site_screens
from ivory_thistle.workflows.treating import Treatment, treatment_of
from ivory_thistle.workflows.weights import stored_weights
from ivory_thistle.workflows.workers import Call, Workers

_LOOK_SECONDS = 60.0
_MOST_LOOKS = 2_000
_PROGRESS_EVERY = 10


def newest_sample(session: Session, capture_id: int) -> t.Sample | None:
    """The capture's newest sample."""
    newest = select(t.Sample).where(t.Sample.capture_id == capture_id).order_by(t.Sample.id.desc()).limit(1)
    return session.scalar(newest)


def ask_for_sample(session: Session, capture_id: int, rules: Rules) -> t.Sample:
    """A sample by these rules; one by others that is still going makes room for it."""
    sample = newest_sample(session, capture_id)
    if sample and Rules.from_dict(sample.rules) == rules:
        return sample
    if sample and sample.state.is_going:
        sample.stop_asked = True
    sample = t.Sample(capture_id=capture_id, rules=rules.as_dict())
    session.add(sample)
    return sample


def stored_probes(session: Session, capture_id: int) -> dict[str, Probe]:
    """What closer looks found, by path of the image."""
    rows = session.execute(select(t.Image.path, t.Image.probe).where(t.Image.capture_id == capture_id))
    return {path: Probe.from_dict(found) for path, found in rows if found}


def stored_stays(session: Session, capture_id: int) -> Stays:
    """The files that pages go on loading, as the newest sample found them: that hangs on markup more than on rules."""
    newest = select(t.Sample.stays).where(t.Sample.capture_id == capture_id, t.Sample.stays.is_not(None))
    found = session.scalar(newest.order_by(t.Sample.id.desc()).limit(1))
    return found or NOTHING_STAYS


def foretell_stored(session: Session, capture_id: int, at_hand: AtHand, rules: Rules) -> Foretold:
    """The forecast by some rules and by all that is stored of a capture."""
    policy = site_policy(session.get_one(t.Site, session.get_one(t.Capture, capture_id).site_id))
    weights = stored_weights(session, capture_id)
    probes, stays = stored_probes(session, capture_id), stored_stays(session, capture_id)
    return foretell(at_hand, rules, weights, policy, kept_url(), probes, stays)


def foretell_from_sketches(session: Session, run_id: int, blobs: Blobs) -> None:
    """Keeps beside the forecast of a run what its sketches tell, which is surer."""
    run = session.get_one(t.Run, run_id)
    if run.forecast:
        at_hand = stored_at_hand(session, run.capture_id, blobs)
        told = foretell_stored(session, run.capture_id, at_hand, Rules.from_dict(run.rules))
        run.forecast = {**run.forecast, "sketched": told.as_dict()}


class Sampler:
    """Looks closer at what a run would treat, sketches it, then treats what tells most of the others."""

    def __init__(
        self,
        sample_id: int,
        sessions: sessionmaker[Session],
        blobs: Blobs,
        workers: Workers,
        stop: Callable[[], bool],
    ) -> None:
        self._id, self._sessions, self._blobs, self._workers, self._stop = sample_id, sessions, blobs, workers, stop
        with sessions() as session:
            sample = session.get_one(t.Sample, sample_id)
            self._capture_id, self._rules = sample.capture_id, Rules.from_dict(sample.rules)
            site = session.get_one(t.Site, session.get_one(t.Capture, self._capture_id).site_id)
            self._screens = site_screens(site)
            self._at_hand = stored_at_hand(session, self._capture_id, blobs)

    def take(self) -> bool:
        """False where it was stopped before its end."""
        try:
            self._take()
        except StoppedError:
            return False
        return not self._stop()

    def _take(self) -> None:
        looked_at = self._to_look_at(self._told())
        self._note(0, len(looked_at))
        calls = (Call(facts.sha256, look_closer, (self._blobs.url, facts), _LOOK_SECONDS) for facts in looked_at)
        for done, outcome in enumerate(self._workers.run(calls, self._stop), 1):
            if outcome.value:
                self._keep(str(outcome.key), outcome.value)
            if done % _PROGRESS_EVERY == 0:
                self._note(done, len(looked_at))
        if self._stop():
            return
        self._find_what_stays(self._told())
        told = self._told()
        sketches = [treatment_of(planned).at_first for planned in to_sketch(told)[:_MOST_LOOKS]]
        treated = [treatment_of(planned) for planned in sample_of(told)]
        self._make(sketches, len(looked_at), len(treated), _PROGRESS_EVERY)
        self._make(treated, len(looked_at) + len(sketches), 0, 1)

    def _make(self, wanted: Sequence[Treatment], before: int, after: int, every: int) -> None:
        """Makes what a run will take over, or what is sketched of it; so many steps come before and after."""
        total = before + len(wanted) + after
        self._note(before, total)
        calls = (one.call(n, self._blobs.url, kept_url=kept_url()) for n, one in enumerate(wanted))
        for done, _ in enumerate(self._workers.run(calls, self._stop), 1):
            if done % every == 0:
                self._note(before + done, total)

    def _find_what_stays(self, told: Foretold) -> None:
        """Raises StoppedError."""
        with self._sessions() as session:
            if session.get_one(t.Sample, self._id).stays is not None:
                return
        stays = originals_that_stay(self._at_hand, told, self._rules, self._screens, self._stop)
        kept = update(t.Sample).where(t.Sample.id == self._id).values(stays=stays)
        in_transaction(self._sessions, lambda session: session.execute(kept))

    def _told(self) -> Foretold:
        with self._sessions() as session:
            return foretell_stored(session, self._capture_id, self._at_hand, self._rules)

    def _to_look_at(self, told: Foretold) -> list[ImageFacts]:
        """Still pictures that would be treated, that nobody looked at closer; those of the most bytes first."""
        with self._sessions() as session:
            known = stored_probes(session, self._capture_id)
        found = [
            p.image.facts for p in told.plans
            if p.steps and p.image.path not in known and p.image.facts.frames == 1 and not p.image.facts.is_vector
        ]  # fmt: skip
        return sorted(found, key=lambda facts: -facts.bytes)[:_MOST_LOOKS]

    def _keep(self, digest: str, found: dict[str, Any]) -> None:
        here = (t.Image.capture_id == self._capture_id) & (t.Image.sha256 == digest)
        in_transaction(self._sessions, lambda session: session.execute(update(t.Image).where(here).values(probe=found)))

    def _note(self, done: int, total: int) -> None:
        counted = update(t.Sample).where(t.Sample.id == self._id).values(done=done, total=total, tries=0)
        in_transaction(self._sessions, lambda session: session.execute(counted))


def look_closer(blobs_url: str, facts: ImageFacts) -> dict[str, Any] | None:
    """What a closer look at a picture found; None where it can't be had."""
    try:
        return probe(Blobs(blobs_url).get(facts.sha256), facts).as_dict()
    except (PictureError, EncodeError, StorageError, OSError):
        return None
