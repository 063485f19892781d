"""Logs that cannot hurt: rotated, and never raising when their disk is full or gone."""

import logging
import sys
from logging.handlers import RotatingFileHandler
from pathlib import Path

import structlog

MOST_BYTES, KEPT = 2_000_000, 3


def configure(folder: Path | None, name: str) -> None:
    """Everything that this process says goes to ``NAME.log`` in a folder, or to stderr where there is none."""
    logging.raiseExceptions = False
    handler: logging.Handler = logging.StreamHandler(sys.stderr)
    if folder is not None:
        handler = RotatingFileHandler(folder / f"{name}.log", maxBytes=MOST_BYTES, backupCount=KEPT, delay=True)
    handler.setFormatter(logging.Formatter("%(message)s"))
    root = logging.getLogger()
    root.handlers[:] = [handler]
    root.setLevel(logging.INFO)
    structlog.configure(
        processors=[
            structlog.processors.add_log_level, structlog.processors.TimeStamper(fmt="iso"),
            structlog.processors.format_exc_info,
            structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"]),
        ],
        logger_factory=structlog.stdlib.LoggerFactory(), wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=True,
    )
