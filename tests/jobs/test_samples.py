"""Samples give way to whatever else waits, and go on where they were."""

from __future__ import annotations

import pytest
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.workflows import sampling
from ivory_thistle.workflows.progress import StoppedError
from ivory_thistle.workflows.sampling import Sampler, ask_for_sample
from ivory_thistle.workflows.workers import Workers

pytestmark = pytest.mark.database


def test_what_stays_is_found_once(
    made: sessionmaker[Session], blobs: Blobs, run_id: int, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A sample that is stopped while it reads pages keeps nothing of that; one that knows them reads none again."""
    with made.begin() as session:
        capture_id = session.get_one(t.Run, run_id).capture_id
        sample = ask_for_sample(session, capture_id, Rules(fixed=True))
        session.flush()
        sample_id = sample.id
    real, ends = sampling.originals_that_stay, [StoppedError(), None, AssertionError("It was known already.")]

    def found(*given: object) -> dict[str, list[str]]:
        if (end := ends.pop(0)) is not None:
            raise end
        return real(*given)  # type: ignore[arg-type]

    monkeypatch.setattr(sampling, "originals_that_stay", found)
    told = []
    for _ in range(3):
        with Workers() as workers:
            told.append(Sampler(sample_id, made, blobs, workers, lambda: False).take())
        with made() as session:
            told.append(session.get_one(t.Sample, sample_id).stays is not None)
    assert told == [False, False, True, True, True, True]
