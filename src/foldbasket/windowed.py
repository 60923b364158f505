"""The commands that open the window: with data or a basket to work on, or with a basket to be read."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any

from foldbasket import __version__

if TYPE_CHECKING:
    import argparse

DESCRIPTION = """\
Pivot and crosstab reports from sales transactions.

  fold-basket                       open the window
  fold-basket sales.csv             open data (or a basket) in the window
  fold-basket demo                  open the Quillmoor Growers demo
  fold-basket read report.basket    read a report: pick, chart, prove, and change nothing
  fold-basket show sales.csv "net by region, trade only"
  fold-basket render report.basket --to out.xlsx
  fold-basket check report.basket
  fold-basket cache --clear         forget what is kept of files that were read
"""

READ = """\
Opens a basket to be read: its reports, their charts and the pickers beside them, alone.

Whatever is picked, folded up or put in order is seen and not kept; the file stays as it is.
"""


def open_window(files: Sequence[Path]) -> int:
    """Opens the window, with files if any are given; the exit code."""
    from foldbasket.desktop.shell.app import run

    return run(list(files))


def parser() -> argparse.ArgumentParser:
    """The command line of the window itself."""
    import argparse

    made = argparse.ArgumentParser(
        "fold-basket", description=DESCRIPTION, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    made.add_argument(
        "files",
        nargs="*",
        type=Path,
        metavar="FILE",
        help="a basket (.basket, .json) or data: delimited text, Parquet, Arrow, JSON lines, a workbook, SQLite, a folder",
    )
    made.add_argument("--version", action="version", version=f"Fold Basket {__version__}")
    made.epilog = "More about a command: fold-basket render --help"
    return made


def add(commands: Any) -> None:
    """Adds the command that opens a basket to be read."""
    import argparse

    read = commands.add_parser(
        "read", help="read a basket's reports", description=READ, formatter_class=argparse.RawDescriptionHelpFormatter
    )
    read.add_argument("basket", type=Path, metavar="BASKET", help="the basket")
    read.set_defaults(run=_read)


def _read(options: argparse.Namespace) -> int:
    from foldbasket.baskets.files import is_basket
    from foldbasket.errors import BasketError

    if not is_basket(options.basket):
        raise BasketError(
            f"“{options.basket}” is no basket.",
            todo="Open data without “read”, and save what you make of it as a basket.",
        )
    from foldbasket.desktop.shell.app import run

    return run([options.basket], reads=True)
