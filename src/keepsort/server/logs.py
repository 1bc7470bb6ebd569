"""What the processes of Keep Sort write down about themselves: one JSON object a line.

A line says which run, step, work or request it is about, and never what is in an object: of an
error that nobody foresaw it tells the kind and the places in the code, not the words, which may
hold a value.
"""

import logging
import traceback
from typing import Any

import structlog
from structlog.typing import EventDict, WrappedLogger

log: structlog.stdlib.BoundLogger = structlog.stdlib.get_logger("keepsort")


def _error(_: WrappedLogger, __: str, event: EventDict) -> EventDict:
    error = event.pop("error", None)
    if isinstance(error, BaseException):
        event["error"] = type(error).__name__
        frames = traceback.extract_tb(error.__traceback__)
        event["at"] = [f"{f.filename.rpartition('/')[2]}:{f.lineno} {f.name}" for f in frames[-12:]]
    elif error is not None:
        event["error"] = error
    return event


class _Lines(logging.Formatter):
    """Writes what other libraries log in the same form; of errors, the kind and the places."""

    def format(self, record: logging.LogRecord) -> str:
        if record.name == "keepsort":  # structlog has written the line already
            return record.getMessage()
        event: dict[str, Any] = {"level": record.levelname.lower(), "logger": record.name}
        error = record.exc_info[1] if record.exc_info else None
        # a request's arguments, and the words of an error, may hold what was sent
        event["event"] = record.getMessage() if error is None else "an error"
        event = {**structlog.contextvars.get_contextvars(), **event}
        found = _error(None, "", {**event, "error": error} if error else event)
        return str(_render(None, "", structlog.processors.TimeStamper(fmt="iso")(None, "", found)))


_render = structlog.processors.JSONRenderer(ensure_ascii=False)


def settings(level: str) -> dict[str, Any]:
    """Return Django's settings for logging, and set structlog up."""
    structlog.configure(
        processors=[
            structlog.contextvars.merge_contextvars,
            structlog.stdlib.add_log_level,
            structlog.processors.TimeStamper(fmt="iso"),
            _error,
            _render,
        ],
        logger_factory=structlog.stdlib.LoggerFactory(),
        cache_logger_on_first_use=True,
    )
    return {
        "version": 1,
        "disable_existing_loggers": False,
        "formatters": {"lines": {"()": _Lines}},
        "handlers": {"console": {"class": "logging.StreamHandler", "formatter": "lines"}},
        "root": {"handlers": ["console"], "level": "WARNING"},
        "loggers": {"keepsort": {"level": level, "handlers": ["console"], "propagate": False}},
    }
