"""Which output writes which file, by its ending. A new output is one file beside this one and one line here."""

from __future__ import annotations

import os
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from pathlib import Path

from foldbasket.errors import OutputError, reason_of
from foldbasket.folding.report import Report
from foldbasket.outputs import delimited, html, text, xlsx
from foldbasket.whole import written_whole

Save = Callable[[Report, Path], None]

FORMATS: dict[str, tuple[str, Save]] = {
    ".csv": ("CSV", delimited.save),
    ".xlsx": ("Workbook", xlsx.save),
    ".html": ("HTML page", html.save),
    ".txt": ("Text with tabs", text.save),
}
SHAPES = ("table", "cells")


def save_report(report: Report, path: Path, shape: str = "table", *, spare: Collection[Path] = ()) -> None:
    """Writes a report in the format that the ending of `path` names. The file appears whole or not at all.

    `spare` are the files that the report comes from. Raises OutputError for an unknown ending, a shape the format does not have, a
    place that cannot be written, or one of those files.
    """
    ending = path.suffix.lower()
    if shape == "table" and ending not in FORMATS:
        raise OutputError(
            f"no format ends in “{ending or path.name}”.",
            where=str(path),
            todo="Known endings: " + ", ".join([*FORMATS, ".pdf", ".png"]) + ".",
        )
    if shape not in SHAPES or (shape == "cells" and ending != ".csv"):
        raise OutputError(
            f"“{ending}” has no shape “{shape}”.", where=str(path), todo="Cells as records are written as .csv."
        )
    with appearing_whole(path, spare) as fresh:
        if shape == "cells":
            delimited.save(report, fresh, "cells")
        else:
            FORMATS[ending][1](report, fresh)


@contextmanager
def appearing_whole(path: Path, spare: Collection[Path] = ()) -> Iterator[Path]:
    """A place beside `path` to write to, which takes its name when all went well. OutputError when it cannot be written, or when
    it is one of the files to `spare`."""
    try:
        if any(os.path.exists(path) and os.path.exists(each) and os.path.samefile(path, each) for each in spare):
            raise OutputError(
                "the report is made from this file, which it would take the place of.",
                where=str(path),
                todo="Choose another name.",
            )
        with written_whole(path) as fresh:
            yield fresh
    except (OSError, ValueError) as error:  # a name with a NUL in it is a ValueError
        raise OutputError(
            f"the file cannot be written ({reason_of(error)}).", where=str(path), todo="Choose another place."
        ) from None
