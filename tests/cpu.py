"""The CPU time of this process and all that descend from it: what a test costs, however busy the machine is."""

from __future__ import annotations

import os
from contextlib import suppress
from pathlib import Path

_TICKS = os.sysconf("SC_CLK_TCK")
# proc(5), /proc/pid/stat: utime, stime, cutime and cstime, counted from what follows the name in brackets.
_TIMES = slice(11, 15)


def tree_seconds() -> float:
    """Seconds of CPU that this process, its children and theirs have taken, those that have ended included."""
    total, waiting = 0, [os.getpid()]
    while waiting:
        pid = waiting.pop()
        # A process may end while it is looked at.
        with suppress(OSError, ValueError, IndexError):
            stat = Path(f"/proc/{pid}/stat").read_text(encoding="ascii", errors="replace")
            total += sum(int(ticks) for ticks in stat.rpartition(")")[2].split()[_TIMES])
            for task in Path(f"/proc/{pid}/task").iterdir():
                waiting += [int(child) for child in (task / "children").read_text().split()]
    return total / _TICKS
