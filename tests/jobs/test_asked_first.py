"""The images of a page that a person asks for come before all others that wait."""

from __future__ import annotations

import pytest
from sqlalchemy import select
from sqlalchemy.orm import Session, sessionmaker

from ivory_thistle.core.treatment.rules import Rules
from ivory_thistle.store import tables as t
from ivory_thistle.workflows.runs import ask_for_page_first, asked_first, in_order, waiting_tasks

pytestmark = pytest.mark.database


def test_a_page_goes_first(made: sessionmaker[Session], run_id: int) -> None:
    """Also in the middle of a run; what is done by then is not asked for, and the newest page wins."""
    with made.begin() as session:
        waiting = waiting_tasks(session, run_id, Rules(fixed=True))
        capture = session.get_one(t.Run, run_id).capture_id
        pages = dict(session.execute(select(t.Page.path, t.Page.id).where(t.Page.capture_id == capture)).all())

        def images_of(path: str) -> set[int]:
            on_page = select(t.Placement.image_id).where(t.Placement.page_id == pages[path])
            mine = select(t.Task.id).where(t.Task.run_id == run_id, t.Task.image_id.in_(on_page))
            return set(session.scalars(mine)) & waiting.keys()

        usual = list(in_order(waiting, frozenset))
        assert usual == list(waiting)
        order = in_order(waiting, lambda: asked_first(session, run_id))
        begun = [next(order)]
        first, second = images_of("index.html"), images_of("more/second.html")
        assert ask_for_page_first(session, run_id, pages["index.html"]) == len(first)
        assert ask_for_page_first(session, run_id, pages["more/second.html"]) == len(second) > 0
        begun += list(order)
        wanted = second - {begun[0]}
        assert set(begun[1 : 1 + len(wanted)]) == wanted and sorted(begun) == sorted(waiting)
        session.get_one(t.Task, begun[1]).state = "done"
        session.flush()
        assert asked_first(session, run_id) == second - {begun[1]}
