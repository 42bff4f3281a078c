"""The destination and form of the service's log."""

from __future__ import annotations

import logging
import sys
from logging.handlers import RotatingFileHandler
from pathlib import Path

from pythonjsonlogger.json import JsonFormatter

from ..config import Config

_TEXT = "%(asctime)s %(levelname)s %(name)s: %(message)s"
#: One JSON object a line, with these names.
_FIELDS = {"asctime": "at", "levelname": "level", "name": "logger"}


def set_up(config: Config) -> None:
    """Send the log to standard error, or to a file that is rotated; as text or as JSON."""
    handler: logging.Handler = logging.StreamHandler(sys.stderr)
    if config.log_file:
        path = Path(config.log_file)
        path.parent.mkdir(parents=True, exist_ok=True)
        handler = RotatingFileHandler(
            path, maxBytes=config.log_size, backupCount=config.log_files, encoding="utf-8"
        )
    handler.setFormatter(_formatter(config.log_format))
    logging.basicConfig(level=logging.INFO, handlers=[handler])
    logging.getLogger("paramiko").setLevel(logging.CRITICAL)
    # It would log every address that is called, and some of them are secret.
    logging.getLogger("httpx").setLevel(logging.WARNING)


def _formatter(form: str) -> logging.Formatter:
    if form == "json":
        return JsonFormatter(
            "%(asctime)s %(levelname)s %(name)s %(message)s",
            rename_fields=_FIELDS,
            datefmt="%Y-%m-%dT%H:%M:%S%z",
        )
    return logging.Formatter(_TEXT)
