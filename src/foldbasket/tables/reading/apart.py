"""Reads a file in a process of its own, which has bounds on memory and time, can be stopped at any moment and may die alone.

For formats whose readers are somebody else's compiled code: what a damaged file does to them it does to the other process. The table
comes back as bytes in memory that both share; its head is plain data.

A process is started by forking where nothing else runs in this one, as on the command line; else a fresh one is started. One that has read
its file well is asked to read the next, since to start one costs more than to read a small file; one that told an error, was stopped or has
grown large ends.
"""

from __future__ import annotations

import atexit
import base64
import contextlib
import json
import mmap
import os
import select
import signal
import subprocess
import sys
import threading
import time
from pathlib import Path
from typing import Any, ClassVar

import msgspec

from foldbasket import errors
from foldbasket.errors import ReadError
from foldbasket.tables.held import read_held
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import WHOLE, Parts, Reading, memory_at_hand
from foldbasket.tables.reading.inside import TAKEN, end_with, serve_from
from foldbasket.tables.table import Table

LOOK = 0.03
"""Seconds between two looks at a process that reads."""
LEAST_MEMORY, MEMORY_A_BYTE = 900 << 20, 40
LEAST_SECONDS, SECONDS_A_MEGABYTE = 9.0, 5.0
MOST_RESTING, LARGEST_RESTING = 2, 400 << 20
"""So many processes wait for another file, of which none has more memory than this."""
PATIENCE = 6
"""A reading may take so many times as long by the clock as of a processor's time: a machine may be busy with other things, and a disk far away."""


class Bounds(msgspec.Struct, frozen=True):
    """What a reading may take: bytes of memory beyond what its process has at the start, and seconds of a processor's time."""

    memory: int
    seconds: float


def bounds_for(size: int) -> Bounds:
    """The bounds for a file of so many bytes; the memory also ends where that of the machine does."""
    free = memory_at_hand()
    return Bounds(
        min(LEAST_MEMORY + MEMORY_A_BYTE * size, int(free * 0.85)), LEAST_SECONDS + SECONDS_A_MEGABYTE * size / 1e6
    )


def read_apart(
    path: Path,
    name: str,
    reading: Reading,
    progress: Progress,
    size: int,
    bounds: Bounds | None = None,
    parts: Parts = WHOLE,
) -> Table:
    """The table in a file (or in those of a folder or pattern) of so many bytes, or some parts of it. Raises ReadError, also where the other process dies
    or passes its bounds; Cancelled within a moment of being asked to."""
    table: Table = _asked("table", path, name, reading, progress, bounds or bounds_for(size), parts)
    return table


def sheets_apart(path: Path, progress: Progress | None = None) -> list[str]:
    """The names of a workbook's sheets, found in the same way. Raises ReadError."""
    found: list[str] = _asked("sheets", path, "", Reading(), progress or Progress(), bounds_for(path.stat().st_size))
    return found


def repack_apart(path: Path, into: Path, reading: Reading, progress: Progress) -> None:
    """Has a file written as Parquet, in the same way. Raises ReadError."""
    _asked("repack", path, os.fspath(into), reading, progress, bounds_for(path.stat().st_size))


def _asked(
    what: str, path: Path, name: str, reading: Reading, progress: Progress, bounds: Bounds, parts: Parts = WHOLE
) -> Any:
    job = {
        "what": what,
        "path": base64.b64encode(os.fsencode(path.absolute())).decode(),
        "name": name,
        "reading": msgspec.json.encode(reading).decode(),
        "parts": msgspec.json.encode(parts).decode(),
        "surroundings": dict(os.environ),
        "seconds": bounds.seconds,
    }
    child = _Child.begin(job)
    try:
        answer = _followed(child, path, progress, bounds)
    except BaseException:
        child.end()
        raise
    child.rest()
    return answer


def _followed(child: _Child, path: Path, progress: Progress, bounds: Bounds) -> Any:
    started, before, worked, pending = time.monotonic(), child.memory(), child.worked(), b""
    while True:
        ready, _, _ = select.select([child.out], [], [], LOOK)
        if ready:
            some = os.read(child.out, 1 << 16)
            if not some:
                raise _died(child, path)
            *lines, pending = (pending + some).split(b"\n")
            for line in lines:
                answer = _told(json.loads(line), child, path, progress)
                if answer is not None:
                    return answer
        progress.look()
        if child.memory() - before > bounds.memory:
            raise ReadError(
                f"reading it takes more than {bounds.memory / 1e9:.1f} GB of memory, so it was stopped.",
                where=path.name,
                todo="Is this file what it says? If so, write fewer records or fields into it.",
            )
        if max(child.worked() - worked, (time.monotonic() - started) / PATIENCE) > bounds.seconds:
            raise ReadError(
                f"reading it takes more than {bounds.seconds:.0f} seconds of a processor's time, or {PATIENCE * bounds.seconds:.0f} by the clock, so it was stopped.",
                where=path.name,
                todo="Is this file what it says? Export it again, or as CSV.",
            )


def _told(message: dict[str, Any], child: _Child, path: Path, progress: Progress) -> Any:
    """Takes one message of the other process up; what was asked for when it is the last, else None. Raises the error that it tells of."""
    if "step" in message:
        progress.step(message["step"], message["share"])
        return None
    if "error" in message:
        kind = getattr(errors, message["error"])
        raise kind(message["what"], where=message["where"], todo=message["todo"])
    if "done" in message:
        return True
    if "sheets" in message:
        return [str(each) for each in message["sheets"]]
    with open(f"/proc/{child.pid}/fd/{message['body']}", "rb") as file:
        size = os.fstat(file.fileno()).st_size
        body = mmap.mmap(file.fileno(), size, access=mmap.ACCESS_READ) if size else b""
    try:
        return read_held(base64.b64decode(message["head"]), body)
    except (ValueError, msgspec.MsgspecError):
        raise _died(child, path) from None


def _died(child: _Child, path: Path) -> ReadError:
    code = child.code()
    how = f" ({signal.Signals(-code).name})" if code is not None and code < 0 and -code in set(signal.Signals) else ""
    return ReadError(
        f"the file is damaged in a way that stopped its reader{how}.",
        where=path.name,
        todo="Export it again, or as CSV.",
    )


# --- the other process, seen from here ------------------------------------------


class _Child:
    """A process that reads files, one after the other: `out` is where it tells of them."""

    _resting: ClassVar[list[_Child]] = []
    _lock = threading.Lock()

    def __init__(
        self, pid: int, out: int, into: int, lifeline: int, process: subprocess.Popen[bytes] | None = None
    ) -> None:
        """`lifeline` is the end of a pipe that is open as long as this program lives: the process ends when it closes."""
        self.pid, self.out, self.into, self.lifeline, self.process = pid, out, into, lifeline, process
        self._code: int | None = None

    @classmethod
    def begin(cls, job: dict[str, Any]) -> _Child:
        child = cls._forked() if threading.active_count() == 1 and "PyQt6.QtCore" not in sys.modules else cls._taken()
        try:
            os.write(child.into, json.dumps(job).encode() + b"\n")
        except BrokenPipeError:  # one that waited and was stopped by somebody
            child.end()
            child = cls._started()
            os.write(child.into, json.dumps(job).encode() + b"\n")
        return child

    @classmethod
    def _forked(cls) -> _Child:
        out, told = os.pipe()
        asked, into = os.pipe()
        watched, lifeline = os.pipe()
        pid = os.fork()
        if pid == 0:
            for end in (out, into, lifeline):
                os.close(end)
            end_with(watched)
            os.dup2(os.open(os.devnull, os.O_WRONLY), 2)  # what a reader prints as it dies is for nobody
            with contextlib.suppress(BaseException):
                serve_from(asked, told)
            os._exit(0)
        for end in (told, asked, watched):
            os.close(end)
        return cls(pid, out, into, lifeline)

    @classmethod
    def _started(cls) -> _Child:
        watched, lifeline = os.pipe()
        code = f"from foldbasket.tables.reading.inside import serve; serve({watched})"
        try:
            process = subprocess.Popen(
                [sys.executable, "-P", "-c", code],
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                stderr=subprocess.DEVNULL,
                pass_fds=(watched,),
            )
        except BaseException:
            os.close(lifeline)
            raise
        finally:
            os.close(watched)
        assert process.stdin is not None
        assert process.stdout is not None
        return cls(process.pid, process.stdout.fileno(), process.stdin.fileno(), lifeline, process)

    @classmethod
    def _taken(cls) -> _Child:
        with cls._lock:
            resting = cls._resting.pop() if cls._resting else None
        return resting or cls._started()

    def rest(self) -> None:
        """Lets it wait for another file, where it is one that can: what it told of has been taken up."""
        with self._lock:
            if self.process is not None and len(self._resting) < MOST_RESTING and self.memory() < LARGEST_RESTING:
                with contextlib.suppress(BrokenPipeError):
                    os.write(self.into, TAKEN)
                    self._resting.append(self)
                    return
        self.end()

    @classmethod
    def end_resting(cls) -> None:
        with cls._lock:
            resting, cls._resting = cls._resting, []
        for each in resting:
            each.end()

    def memory(self) -> int:
        """Bytes of memory that it has taken; 0 when it is gone."""
        try:
            with open(f"/proc/{self.pid}/statm", "rb") as file:
                return int(file.read().split()[1]) * os.sysconf("SC_PAGE_SIZE")
        except (OSError, IndexError, ValueError):
            return 0

    def worked(self) -> float:
        """Seconds of processors' time that it has taken; 0 when it is gone."""
        try:
            with open(f"/proc/{self.pid}/stat", "rb") as file:
                told = file.read().rpartition(b")")[2].split()
                return (int(told[11]) + int(told[12])) / os.sysconf("SC_CLK_TCK")
        except (OSError, IndexError, ValueError):
            return 0.0

    def code(self) -> int | None:
        """How it ended, as a process tells it; waits a little for that."""
        if self.process is not None:
            with contextlib.suppress(subprocess.TimeoutExpired):
                self._code = self.process.wait(1.0)
        elif self._code is None:
            with contextlib.suppress(ChildProcessError):
                self._code = os.waitstatus_to_exitcode(os.waitpid(self.pid, 0)[1])
        return self._code

    def end(self) -> None:
        """Stops it, whatever it does."""
        if self._code is None:
            with contextlib.suppress(ProcessLookupError):
                os.kill(self.pid, signal.SIGKILL)
        lifeline, self.lifeline = self.lifeline, -1
        if lifeline >= 0:
            os.close(lifeline)
        if self.process is not None:
            for file in (self.process.stdin, self.process.stdout):
                with contextlib.suppress(OSError):
                    assert file is not None
                    file.close()
            with contextlib.suppress(subprocess.TimeoutExpired):
                self.process.wait(2.0)
            return
        if self._code is None:
            with contextlib.suppress(ChildProcessError):
                os.waitpid(self.pid, 0)
        for pipe in (self.out, self.into):
            with contextlib.suppress(OSError):
                os.close(pipe)


atexit.register(_Child.end_resting)
