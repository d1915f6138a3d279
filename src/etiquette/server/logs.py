"""What is written to the log: a line an event, with the request or task and the machine it is about. JSON in files,
readable in a terminal."""

import logging
import sys
from typing import Any

import structlog


def set_up_logs(level: int = logging.WARNING) -> None:
    """For this process, on standard error."""
    shared: list[Any] = [
        structlog.contextvars.merge_contextvars,
        structlog.stdlib.add_logger_name,
        structlog.stdlib.add_log_level,
        structlog.stdlib.PositionalArgumentsFormatter(),
        structlog.processors.TimeStamper(fmt="iso", utc=True),
    ]
    structlog.configure(
        processors=[structlog.stdlib.filter_by_level, *shared, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
        cache_logger_on_first_use=True,
    )
    terminal = sys.stderr.isatty()
    last: list[Any] = (
        [structlog.dev.ConsoleRenderer()]
        if terminal
        else [structlog.processors.format_exc_info, structlog.processors.JSONRenderer(ensure_ascii=False)]
    )
    handler = logging.StreamHandler()
    remove = structlog.stdlib.ProcessorFormatter.remove_processors_meta
    handler.setFormatter(structlog.stdlib.ProcessorFormatter(foreign_pre_chain=shared, processors=[remove, *last]))
    root = logging.getLogger()
    root.handlers, root.level = [handler], level
