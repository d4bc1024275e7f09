"""A coordinator of jobs as tests drive it."""

from __future__ import annotations

import threading
from contextvars import copy_context

from ivory_thistle.jobs.coordinator import Coordinator


class Running:
    """A coordinator in a thread of its own."""

    def __init__(self, coordinator: Coordinator) -> None:
        self.coordinator = coordinator
        # In a copy of the context, it takes the browsers that tests share.
        self.thread = threading.Thread(target=copy_context().run, args=(coordinator.run,), daemon=True)
        self.thread.start()

    def stop(self) -> None:
        """Ends it as the application does."""
        self.coordinator.end()
        self.thread.join(60)
        assert not self.thread.is_alive()
