"""What is done with an exception that nobody foresaw: written to a log without any of the user's data, and told in plain words.

Imports nothing heavy, so that the command line, the workers and the window can all end here.
"""

from __future__ import annotations

import contextlib
import logging
import traceback
from logging.handlers import RotatingFileHandler
from pathlib import Path

from foldbasket import __version__
from foldbasket.errors import FoldBasketError

LOGGER = logging.getLogger("foldbasket")
LOGGER.propagate = False


def log_file() -> Path:
    """Where faults are written."""
    import platformdirs

    return Path(platformdirs.user_state_dir("fold-basket")) / "log" / "fold-basket.log"


def place_of(error: BaseException) -> str:
    """Where an exception came up, as file and line."""
    frames = traceback.extract_tb(error.__traceback__)
    return f"{Path(frames[-1].filename).name}, line {frames[-1].lineno}" if frames else "an unknown place"


def note(error: BaseException) -> FoldBasketError:
    """Writes an exception to the log and gives the error that tells of it. What it says is left out of the log, since that may
    hold values; its kind and the lines that led to it are there."""
    kind = type(error).__name__
    lines = [f"Fold Basket {__version__}: {kind}"]
    seen: BaseException | None = error
    while seen is not None:
        frames = traceback.extract_tb(seen.__traceback__)
        lines += [f"  {Path(frame.filename).name}:{frame.lineno} {frame.name}" for frame in frames]
        seen = seen.__cause__ or (None if seen.__suppress_context__ else seen.__context__)
        if seen is not None:
            lines.append(f"from {type(seen).__name__}")
    with contextlib.suppress(OSError):  # a disk that is full must not hide the fault itself
        _write("\n".join(lines))
    return FoldBasketError(
        f"something went wrong that should not ({kind} in {place_of(error)}).",
        todo=f"Your work is as it was; you can go on. Please report it with the last lines of {log_file()}.",
    )


class _Quiet(RotatingFileHandler):
    """A log that cannot be written is no further fault to be printed."""

    def handleError(self, record: logging.LogRecord) -> None:
        pass


def _write(text: str) -> None:
    path = log_file()
    path.parent.mkdir(parents=True, exist_ok=True)
    handler = _Quiet(path, maxBytes=500_000, backupCount=3, encoding="utf-8", delay=True)
    handler.setFormatter(logging.Formatter("%(asctime)s %(message)s"))
    LOGGER.addHandler(handler)
    try:
        LOGGER.error(text)
    finally:
        LOGGER.removeHandler(handler)
        handler.close()
