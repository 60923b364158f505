"""Which output writes which file, by its ending. A new output is one file beside this one and one line here."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from foldbasket.errors import OutputError
from foldbasket.folding.report import Report
from foldbasket.outputs import delimited, html, text, xlsx

Save = Callable[[Report, Path], None]

FORMATS: dict[str, tuple[str, Save]] = {
    ".csv": ("CSV", delimited.save),
    ".xlsx": ("Workbook", xlsx.save),
    ".html": ("HTML page", html.save),
    ".txt": ("Text with tabs", text.save),
}
SHAPES = ("table", "cells")


def save_report(report: Report, path: Path, shape: str = "table") -> None:
    """Writes a report in the format that the ending of `path` names. The file appears whole or not at all.

    Raises OutputError for an unknown ending, a shape the format does not have, or a place that cannot be written.
    """
    ending = path.suffix.lower()
    if ending not in FORMATS:
        raise OutputError(
            f"no format ends in “{ending or path.name}”.",
            where=str(path),
            todo="Known endings: " + ", ".join([*FORMATS, ".pdf", ".png"]) + ".",
        )
    if shape not in SHAPES or (shape == "cells" and ending != ".csv"):
        raise OutputError(
            f"“{ending}” has no shape “{shape}”.", where=str(path), todo="Cells as records are written as .csv."
        )
    with appearing_whole(path) as fresh:
        if shape == "cells":
            delimited.save(report, fresh, "cells")
        else:
            FORMATS[ending][1](report, fresh)


@contextmanager
def appearing_whole(path: Path) -> Iterator[Path]:
    """A place beside `path` to write to, which takes its name when all went well. OutputError when it cannot be written."""
    fresh = path.with_name(f".{path.name}.new")
    try:
        yield fresh
        fresh.replace(path)
    except OSError as error:
        reason = error.strerror or error
        raise OutputError(
            f"the file cannot be written ({reason}).", where=str(path), todo="Choose another place."
        ) from None
    finally:
        fresh.unlink(missing_ok=True)
