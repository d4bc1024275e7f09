"""The process that executes jobs, beside the one that answers requests: `JobsProcess` starts it and talks to it.

A line on standard input says that something waits; its end, that the application is gone. A line on standard output
is JSON: `{"audited": ID}`.
"""

from __future__ import annotations

import argparse
import json
import os
import signal
import sys
import threading
from pathlib import Path

from ivory_thistle.jobs.coordinator import Coordinator
from ivory_thistle.jobs.log import configure_log
from ivory_thistle.jobs.process import BLOBS, DATABASE, SCHEDULER
from ivory_thistle.store.blobs import Blobs
from ivory_thistle.store.database import connect, sessions
from ivory_thistle.system.programs import keep_current_folder_out
from ivory_thistle.workflows.plugged import load_formats

_STEPS_BACK = 10
_GRACE_SECONDS = 3.0


def main() -> None:
    """Executes jobs until standard input ends."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--staging", type=Path, required=True)
    options = parser.parse_args()
    # Ctrl-C is for the application, which then closes our standard input.
    signal.signal(signal.SIGINT, signal.SIG_IGN)
    configure_log()
    keep_current_folder_out()
    load_formats()
    os.nice(_STEPS_BACK)
    os.umask(0o077)

    def audited(capture_id: int) -> None:
        print(json.dumps({"audited": capture_id}), flush=True)

    coordinator = Coordinator(
        sessions(connect(os.environ[DATABASE])), Blobs(os.environ[BLOBS]), options.staging,
        os.environ.get(SCHEDULER), audited,
    )  # fmt: skip
    threading.Thread(target=_listen, args=(coordinator,), daemon=True).start()
    coordinator.run()


def _listen(coordinator: Coordinator) -> None:
    for _ in sys.stdin.buffer:
        coordinator.wake()
    coordinator.end()
    # Whatever is in hand and does not end: it is all in the database.
    threading.Event().wait(_GRACE_SECONDS)
    os._exit(0)


if __name__ == "__main__":
    main()
