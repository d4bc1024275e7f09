"""The log of the application and of its jobs."""

from __future__ import annotations

import logging
import sys

import structlog


def configure_log() -> None:
    """Structured lines on standard error: time, level, event and its values."""
    logging.getLogger("distributed").setLevel(logging.ERROR)
    structlog.configure(
        processors=[
            structlog.processors.add_log_level,
            structlog.processors.TimeStamper(fmt="iso", utc=True),
            structlog.processors.format_exc_info,
            structlog.processors.JSONRenderer(),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
