"""The command ``fold-basket show``: its options, and what it prints. The report itself is made in `showing.py`."""

from __future__ import annotations

import argparse
import contextlib
import os
import shutil
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from typing import Any

from foldbasket.styling.words import number_of

SHOW = """\
Prints the report that a sentence asks for, from one line:

  fold-basket show sales.csv "net by region and month, trade only"
  fold-basket show order_lines.csv orders.csv customers.csv "net by segment across quarter, top 10 customers"
  fold-basket show quillmoor.basket "Net sales by site"
  zcat sales.csv.gz | fold-basket show - "records by channel" --to channels.xlsx

Several files are linked where that is sure, which is said. The sentence in full, and how it is put together: docs/sentence.md.
"""


def add(commands: Any, size: Callable[[str], int]) -> None:
    """Adds the command to those of the command line; `size` reads a number of bytes."""
    show = commands.add_parser(
        "show", help="print a report", description=SHOW, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    show.add_argument("data", nargs="+", metavar="DATA", help="files of data, or a basket; - reads standard input")
    show.add_argument(
        "sentence", metavar="SENTENCE", help="what is asked for, in one pair of quotes; of a basket, also a fold's name"
    )
    show.add_argument(
        "--to", type=Path, default=None, metavar="FILE", help="write it instead; the ending names the format"
    )
    show.add_argument(
        "--memory", type=size, default=None, metavar="SIZE", help="hold no more of a table than that (such as 500MB)"
    )
    show.add_argument("--trust", action="store_true", help="let a basket read files outside its own folder")
    show.add_argument("--quiet", action="store_true", help="print the table alone")
    show.set_defaults(run=run)


def run(options: argparse.Namespace) -> int:
    """Prints or writes what is asked; the exit code."""
    from foldbasket.outputs.terminal import lines
    from foldbasket.showing import shown

    def tell(said: str) -> None:
        if not options.quiet:
            print(said, file=sys.stderr)

    with contextlib.ExitStack() as stack:
        names = {}
        paths = [Path(each) for each in options.data]
        if "-" in options.data:
            folder = stack.enter_context(tempfile.TemporaryDirectory(prefix="fold-basket-"))
            typed = Path(folder) / "input.csv"
            with typed.open("wb") as file:
                shutil.copyfileobj(sys.stdin.buffer, file)
            names[typed] = "Input"
            paths = [typed if each == "-" else path for each, path in zip(options.data, paths, strict=True)]
        made = shown(paths, options.sentence, tell, names, memory=options.memory, trusted=options.trust)
        for problem in made.problems:
            print(f"fold-basket: {problem}", file=sys.stderr)
        report = made.report
        if options.to is not None:
            from foldbasket.outputs.formats import save_report

            save_report(report, options.to, guard=made.guard)
            tell(
                f"{options.to}: {number_of(report.height, 'row')} × {number_of(report.width, 'column')} from {report.kept:,} of {number_of(report.records, 'record')}"
            )
            return 1 if made.problems else 0
        is_terminal = sys.stdout.isatty()
        in_colour = is_terminal and not os.environ.get("NO_COLOR") and os.environ.get("TERM") != "dumb"
        tell(made.sentence + "\n")
        for line in lines(report, shutil.get_terminal_size().columns if is_terminal else None, in_colour=in_colour):
            print(line)
        if report.unfinished is not None:
            tell(f"\n{report.unfinished.said}.")
        tell(f"\n{report.kept:,} of {number_of(report.records, 'record')}")
    return 1 if made.problems else 0
