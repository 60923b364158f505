"""Which output writes which file, by its ending. A new output is one file beside this one that enters itself in `OUTPUTS`."""

from __future__ import annotations

import importlib
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Literal, get_args

import msgspec

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import OutputError, reason_of
from foldbasket.folding.report.report import Report
from foldbasket.registry import Kinds
from foldbasket.tables.progress import Progress
from foldbasket.whole import written_whole

Shape = Literal["table", "cells", "sums", "postgresql", "mariadb", "sqlite", "chart", "listing"]
"""The report as it stands; one record a cell; as it stands, with totals that the reading program adds up itself; the SQL of a server; its chart
alone; or the records of its groups, which every format takes that takes a report."""

Save = Callable[[Report, Path, Shape], None]


class Output(msgspec.Struct, frozen=True):
    """A format: the ending of its files, what it is called, how a report is written, and the shapes it can have.

    `save` is the name of a module with a function `save(report, path, shape)` where that needs Qt, which is then loaded only to write.
    """

    ending: str
    label: str
    save: Save | str
    shapes: tuple[Shape, ...] = ("table",)
    standing: int = 100

    @property
    def needs_qt(self) -> bool:
        """Whether it is drawn."""
        return isinstance(self.save, str)

    def write(self, report: Report, path: Path, shape: Shape) -> None:
        """Writes a report to a file."""
        save: Save = importlib.import_module(self.save).save if isinstance(self.save, str) else self.save
        save(report, path, shape)


OUTPUTS: Kinds[Output] = Kinds("output", "foldbasket.outputs")


def entered(output: Output) -> Output:
    """Enters an output under its ending."""
    return OUTPUTS.enter(output.ending, output)


def save_report(
    report: Report,
    path: Path,
    shape: str = "table",
    *,
    guard: OutputGuard,
    progress: Progress | None = None,
) -> None:
    """Writes a report in the format that the ending of `path` names. The file appears whole or not at all.

    `guard` knows the files that no output may replace or join; `progress` can be cancelled while the records of a listing are gathered. Raises OutputError
    for an unknown ending, a shape the format does not have, a place that cannot be written, or one that the guard refuses.
    """
    ending = path.suffix.lower()
    output = OUTPUTS.get(ending)
    if output is None:
        raise OutputError(
            f"no format ends in “{ending or path.name}”.",
            where=str(path),
            todo="Known endings: " + ", ".join(OUTPUTS.keys()) + ".",
        )
    if shape == "listing" and "table" in output.shapes:
        report, shape = report.listing(progress), "table"
    if shape not in output.shapes:
        able = ", ".join(each.ending for each in OUTPUTS if shape in each.shapes)
        what = {"cells": "Cells as records", "sums": "Totals as sums", "chart": "Charts"}.get(shape, "Reports")
        raise OutputError(
            f"“{ending}” has no shape “{shape}”.",
            where=str(path),
            todo=f"{what} are written as {able}." if able else f"Shapes are: {', '.join(get_args(Shape))}.",
        )
    with appearing_whole(path, guard) as fresh:
        output.write(report, fresh, shape)


@contextmanager
def appearing_whole(path: Path, guard: OutputGuard) -> Iterator[Path]:
    """A place beside `path` to write to, which takes its name when all went well. OutputError when it cannot be written, or when
    the guard refuses it."""
    try:
        guard.check(path)
        with written_whole(path) as fresh:
            yield fresh
        guard.wrote(path)
    except (OSError, ValueError) as error:  # a name with a NUL in it is a ValueError
        raise OutputError(
            f"the file cannot be written ({reason_of(error)}).", where=str(path), todo="Choose another place."
        ) from None
