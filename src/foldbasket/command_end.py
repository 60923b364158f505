"""How a command ends: whatever goes wrong in it is one line on standard error, and never a traceback of a library."""

from __future__ import annotations

import contextlib
import errno
import gc
import os
import signal
import sys
import threading
from collections.abc import Callable, Iterator
from typing import Any

from foldbasket.errors import FoldBasketError


def told_in_a_line(work: Callable[[], int]) -> int:
    """Run a command, say what went wrong, and return its exit code: 1 for what is wrong, 130 where it was interrupted."""
    try:
        with _no_tracebacks_of_libraries(), _ended_like_interrupted():
            return work()
    except FoldBasketError as error:
        return _say(str(error))
    except KeyboardInterrupt:
        _say("interrupted")
        return 130
    except BrokenPipeError:
        _drop_output()
        return 1
    except MemoryError:
        return _say("there is not enough memory for this.")
    except OSError as error:
        if error.errno not in (errno.ENOSPC, errno.EDQUOT, errno.EIO):
            return _bug(error)
        _drop_output()
        return _say(f"this cannot be written ({error.strerror}). Free some space, or choose another place.")
    except Exception as error:
        return _bug(error)


@contextlib.contextmanager
def _ended_like_interrupted() -> Iterator[None]:
    """Within it SIGTERM ends a command like Ctrl+C does, so that what it has begun is cleared; Ctrl+C does so too where a shell had it ignored, as for what
    it runs in the background."""
    if threading.current_thread() is not threading.main_thread():
        yield
        return
    before = {each: signal.signal(each, signal.default_int_handler) for each in (signal.SIGTERM, signal.SIGINT)}
    try:
        yield
    finally:
        for each, handler in before.items():
            signal.signal(each, handler)


def _say(said: str) -> int:
    with contextlib.suppress(OSError):
        print(f"fold-basket: {said}", file=sys.stderr)
    return 1


def _bug(error: Exception) -> int:
    """Logs what nobody expected, and says so plainly."""
    from foldbasket import faults

    return _say(str(faults.note(error)))


@contextlib.contextmanager
def _no_tracebacks_of_libraries() -> Iterator[None]:
    """Within it what goes wrong while a library puts its things away is logged: the error that led to it is told anyway."""
    before = sys.unraisablehook

    def note(told: Any) -> None:
        from foldbasket import faults

        if isinstance(told.exc_value, Exception):
            faults.note(told.exc_value)

    sys.unraisablehook = note
    try:
        yield
    finally:
        gc.collect(0)  # what was just given up is put away within
        sys.unraisablehook = before


def _drop_output() -> None:
    """What is still to be printed goes nowhere, so that it is not tried again while Python ends."""
    with contextlib.suppress(OSError, ValueError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
