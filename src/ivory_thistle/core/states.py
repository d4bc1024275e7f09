"""The states of a job, be it a capture, an audit, a measurement or a run. There is no other set of them."""

from __future__ import annotations

from enum import StrEnum


class State(StrEnum):
    """Where a job stands.

    A job waits, is under way (running, then perhaps finishing), and ends: done, stopped by the person, paused until the
    person has done something, or failed. Jobs that ended otherwise than done can go on.
    """

    WAITING = "waiting"
    RUNNING = "running"
    FINISHING = "finishing"
    DONE = "done"
    STOPPED = "stopped"
    PAUSED = "paused"
    FAILED = "failed"

    @property
    def is_under_way(self) -> bool:
        """Somebody has it in hand."""
        return self in UNDER_WAY

    @property
    def is_going(self) -> bool:
        """It waits or is under way, and can be stopped."""
        return self in GOING

    @property
    def can_go_on(self) -> bool:
        """It ended before it was done."""
        return self in UNFINISHED


UNDER_WAY = (State.RUNNING, State.FINISHING)
GOING = (State.WAITING, *UNDER_WAY)
UNFINISHED = (State.STOPPED, State.PAUSED, State.FAILED)
