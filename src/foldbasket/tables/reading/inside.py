"""The inside of a process of its own in which files are read: asked for one after the other by `apart.py`, line by line.

A job is a line of JSON; so is each message that comes of it. A table is told of by its head, which is plain data, and by the number of a file in memory.
"""

from __future__ import annotations

import base64
import fcntl
import json
import os
import resource
import select
import signal
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

from foldbasket import faults
from foldbasket.decoding import from_json
from foldbasket.errors import FoldBasketError
from foldbasket.tables.held import write_held
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Parts, Reading

TAKEN = b"taken\n"
"""What a process is told once that which it read stands in the memory of who asked."""
SPARE_SECONDS = 2
"""Whoever asked stops a reading before this process ends by itself."""
_inside = False


def is_inside() -> bool:
    """Whether this is the other process, in which files are read as they are."""
    return _inside


def end_with(lifeline: int) -> None:
    """End this process at once when the other end of a pipe closes, as it does when the program ends that holds it, however it ends.

    The system sends the signal, so that compiled code that never gives Python its turn ends too.
    """
    signal.signal(signal.SIGIO, signal.SIG_DFL)  # which ends the process
    fcntl.fcntl(lifeline, fcntl.F_SETOWN, os.getpid())
    fcntl.fcntl(lifeline, fcntl.F_SETFL, fcntl.fcntl(lifeline, fcntl.F_GETFL) | os.O_ASYNC)
    watch = select.poll()
    watch.register(lifeline, 0)
    if watch.poll(0):  # it closed before
        os._exit(1)


def bound_processor_time(seconds: float) -> None:
    """End this process when it has worked for so many seconds from now, whoever still watches it."""
    used = resource.getrusage(resource.RUSAGE_SELF)
    most = int(used.ru_utime + used.ru_stime + seconds) + SPARE_SECONDS
    _, hard = resource.getrlimit(resource.RLIMIT_CPU)
    resource.setrlimit(resource.RLIMIT_CPU, (most if hard == resource.RLIM_INFINITY else min(most, hard), hard))


def serve(lifeline: int) -> None:
    """Reads files as it is asked to on standard input, and tells of them on standard output, until a pipe closes. What readers print goes nowhere."""
    end_with(lifeline)
    import foldbasket.tables.reading.readers  # noqa: F401 - while it waits for a job

    told = os.dup(1)
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)
    serve_from(0, told)


def serve_from(asked: int, told: int) -> None:
    """Does the same, from one file that jobs are written to and into another."""
    global _inside
    _inside = True

    def tell(**message: Any) -> None:
        data = json.dumps(message).encode() + b"\n"
        while data:
            data = data[os.write(told, data) :]

    body = -1
    with open(asked, "rb", closefd=False) as jobs:
        for line in jobs:
            if line != TAKEN:
                body = _answered(json.loads(line), tell)
            elif body >= 0:
                os.close(body)
                body = -1


def _answered(job: dict[str, Any], tell: Callable[..., None]) -> int:
    """Does what a job asks for and tells of it. Gives the file in memory that a table stands in, which must stay until the table is taken up; else -1."""
    os.environ.clear()
    bound_processor_time(job["seconds"])
    os.environ.update(job["surroundings"])  # those of who asks may have changed since this process was started
    path = Path(os.fsdecode(base64.b64decode(job["path"])))

    def said(what: str, share: float) -> None:
        tell(step=what, share=share)

    try:
        if job["what"] == "sheets":
            from foldbasket.tables.reading.sheets import sheets_of

            tell(sheets=sheets_of(path))
        elif job["what"] == "repack":
            from foldbasket.tables.reading.readers import repack

            repack(path, Path(job["name"]), _reading_of(job), _telling(said))
            tell(done=True)
        else:
            head, body = _read(path, job, said)
            tell(head=base64.b64encode(head).decode(), body=body)
            return body
    except FoldBasketError as error:
        tell(error=type(error).__name__, what=error.what, where=error.where, todo=error.todo)
    except MemoryError:
        tell(
            error="ReadError",
            what="there is not enough memory for this file.",
            where=_name(path),
            todo="Read fewer records.",
        )
    except BaseException as error:  # a panic in compiled code is no Exception
        faults.note(error)
        what = f"the file is damaged in a way that its reader does not know ({type(error).__name__})."
        tell(error="ReadError", what=what, where=_name(path), todo="Export it again, or as CSV.")
    return -1


def _name(path: Path) -> str:
    return os.fsencode(path.name).decode("utf-8", "replace")


def _reading_of(job: dict[str, Any]) -> Reading:
    return from_json(job["reading"], Reading)


def _telling(said: Callable[[str, float], None]) -> Progress:
    """A progress that is told not too often."""
    last = [0.0]

    def told(what: str, share: float) -> None:
        now = time.monotonic()
        if now - last[0] > 0.05:
            last[0] = now
            said(what, share)

    return Progress(told)


def _read(path: Path, job: dict[str, Any], said: Callable[[str, float], None]) -> tuple[bytes, int]:
    from foldbasket.tables.reading.readers import read_table

    parts = from_json(job["parts"], Parts)
    table = read_table(path, job["name"], _reading_of(job), _telling(said), parts)
    body = os.memfd_create("table")
    with open(body, "wb", closefd=False) as file:
        head = write_held(table, file.write)
    return head, body
