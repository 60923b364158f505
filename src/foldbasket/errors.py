"""The few kinds of error that Fold Basket raises on purpose.

Each carries what a user needs: what is wrong, where, and what to do. Anything else that escapes is a bug.
This module imports nothing of the project, so that every stage may raise these.
"""

import errno
import os
from typing import TypeVar

MOST_WHERE = 300
"""A path or a name may be longer than anybody reads: its middle is then left out."""


class FoldBasketError(Exception):
    """What is wrong (`what`), where (`where`: file, line, field, fold) and what the user can do (`todo`)."""

    def __init__(self, what: str, *, where: str = "", todo: str = "") -> None:
        self.what = what
        self.where = where if len(where) <= MOST_WHERE else f"{where[: MOST_WHERE // 2]} … {where[-MOST_WHERE // 3 :]}"
        self.todo = todo
        super().__init__(str(self))

    def __reduce__(self) -> tuple[object, ...]:
        """Comes back whole from another process."""
        return _again, (type(self), self.__dict__.copy(), self.args)

    def __str__(self) -> str:
        told = f"{self.where}: {self.what}" if self.where else self.what
        return f"{told} {self.todo}".strip()


Raised = TypeVar("Raised", bound=FoldBasketError)


def bare(error: Raised) -> Raised:
    """The error without the calls that it came through, for where it is kept: those hold all that they worked with, and often, in a circle, the
    error itself."""
    error.__context__ = error.__cause__ = None
    return error.with_traceback(None)


def _again(kind: type[FoldBasketError], said: dict[str, object], args: tuple[object, ...]) -> FoldBasketError:
    made = kind.__new__(kind)
    made.__dict__.update(said)
    made.args = args
    return made


class ReadError(FoldBasketError):
    """A source cannot be read as it stands."""


def out_of_memory(error: BaseException, where: str) -> ReadError | None:
    """The error for a file that could not be read because memory ran out; None where another thing went wrong. Libraries report it in several ways."""
    said = str(error)
    is_it = isinstance(error, MemoryError) or getattr(error, "errno", None) == errno.ENOMEM
    if not is_it and not any(
        each in said for each in ("malloc of size", "realloc of size", "bad_alloc", "Out of memory")
    ):
        return None
    return ReadError(
        "there is not enough memory to read this file.",
        where=where,
        todo="Close other programs, or read fewer fields or records.",
    )


class LinkError(FoldBasketError):
    """Two tables cannot be linked, or a field cannot be reached."""


class FoldError(FoldBasketError):
    """A fold asks for something that cannot be answered: an unknown field, a type that does not fit, too many cells."""


class FormulaError(FoldBasketError):
    """A formula cannot be understood or does not fit its fields. `start` and `stop` are where in its text, from 0."""

    def __init__(self, what: str, start: int, stop: int, *, todo: str = "", where: str = "") -> None:
        self.start, self.stop = start, max(stop, start + 1)
        super().__init__(what, where=where, todo=todo)


class SentenceError(FoldBasketError):
    """A sentence cannot be read. `start` and `stop` are where in its text, from 0; `could` lists what could stand there."""

    def __init__(
        self,
        what: str,
        *,
        place: tuple[int, int] = (0, 0),
        could: tuple[str, ...] = (),
        todo: str = "",
        where: str = "",
    ) -> None:
        self.start, self.stop, self.could = place[0], place[1], could
        super().__init__(what, where=where, todo=todo)


class PatternError(FoldBasketError):
    """A number or date pattern cannot be understood."""


class BasketError(FoldBasketError):
    """A basket file cannot be opened or written."""


class OutputError(FoldBasketError):
    """A report cannot be handed on in the form that was asked for."""


class Cancelled(FoldBasketError):  # noqa: N818 - a wish of the user's, not a fault
    """The user cancelled the work; things are as they were."""

    def __init__(self) -> None:
        super().__init__("Cancelled.")


def reason_of(error: Exception) -> str:
    """Why the system could not do it, in its own words and without the path that it repeats."""
    code = error.errno if isinstance(error, OSError) else None
    if code is not None and code in errno.errorcode:  # libraries put a sentence of theirs in its place
        return os.strerror(code)
    return str(getattr(error, "strerror", None) or error)
