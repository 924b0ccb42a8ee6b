"""Structured logs: one line per event with a stable `action`, on the standard error of each process."""

from __future__ import annotations

import logging
import sys

import structlog


def begin(process: str) -> None:
    """Log as `process`."""
    logging.basicConfig(level=logging.WARNING, stream=sys.stderr, format=f"{process}: %(message)s")
    structlog.configure(
        processors=[
            structlog.processors.TimeStamper(fmt="%Y-%m-%dT%H:%M:%S", utc=False),
            structlog.processors.add_log_level,
            structlog.processors.format_exc_info,
            lambda _logger, _method, event: {**event, "process": process},
            structlog.processors.KeyValueRenderer(
                key_order=["timestamp", "level", "process", "action", "event"]
            ),
        ],
        logger_factory=structlog.PrintLoggerFactory(sys.stderr),
    )
