"""Which reader opens which file, by its ending. A new reader is one file beside this one and one line here."""

from __future__ import annotations

from pathlib import Path

from foldbasket.errors import ReadError
from foldbasket.tables import delimited, parquet
from foldbasket.tables.delimited import DelimitedOptions, read_delimited
from foldbasket.tables.parquet import read_parquet
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table

ENDINGS = delimited.ENDINGS + parquet.ENDINGS


def read_table(
    path: Path, name: str, options: DelimitedOptions | None = None, progress: Progress | None = None
) -> Table:
    """The table in the file at `path`. Raises ReadError when it is missing, a folder, may not be read, or cannot be read."""
    try:
        if path.is_dir():
            raise ReadError("this is a folder, not a file.", where=str(path), todo="Choose a file in it.")
        if path.suffix.lower() in parquet.ENDINGS:
            with path.open("rb"):
                return read_parquet(path, name, progress)
        return read_delimited(path, name, options, progress)
    except FileNotFoundError:
        raise ReadError(
            "there is no such file.", where=str(path), todo="Was it moved or renamed? Choose it again."
        ) from None
    except PermissionError:
        raise ReadError("you may not read this file.", where=str(path), todo="Ask for the right to read it.") from None
    except OSError as error:
        raise ReadError(
            f"the file cannot be read ({error.strerror or error}).", where=str(path), todo="Try again."
        ) from None


def table_name(path: Path) -> str:
    """A readable name for the table in a file: ``order_lines.csv`` is “Order lines”."""
    words = path.stem.replace("_", " ").replace("-", " ").strip()
    return words[:1].upper() + words[1:] if words else path.name
