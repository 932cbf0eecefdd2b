"""What is logged in production: one JSON object a line, without a word that a person typed.

Errors are told by their type and the lines of code they passed, not by their message, which may hold what was typed.
"""

from __future__ import annotations

import json
import logging
import traceback
from datetime import UTC, datetime
from typing import Any


class Lines(logging.Formatter):
    """One record as a line of JSON: time, level, logger, what happened, and the record's `data`."""

    def format(self, record: logging.LogRecord) -> str:
        """Write it."""
        line: dict[str, Any] = {
            "at": datetime.fromtimestamp(record.created, UTC).isoformat(timespec="milliseconds"),
            "level": record.levelname.lower(),
            "logger": record.name,
            "what": record.getMessage() if record.name.startswith("rainfront") else record.msg,
            **getattr(record, "data", {}),
        }
        if record.exc_info and record.exc_info[0] is not None:
            frames = traceback.extract_tb(record.exc_info[2])
            line["error"] = record.exc_info[0].__name__
            line["passed"] = [f"{frame.filename}:{frame.lineno} {frame.name}" for frame in frames[-8:]]
        return json.dumps(line, ensure_ascii=False, default=str)
