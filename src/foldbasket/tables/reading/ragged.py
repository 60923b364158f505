"""What is wrong with a delimited file that cannot be read: its first bad line, or the line of another length."""

from __future__ import annotations

import csv
import re
from pathlib import Path

from foldbasket.errors import ReadError
from foldbasket.tables.reading.sniffing import Look, single_byte_encoding

BAD_COLUMN = re.compile(r"In CSV column #(\d+): (.*)", re.DOTALL)


def second_guess(path: Path) -> str:
    """The encoding of a file whose head passed for UTF-8 but whose rest does not: judged on the lines that fail."""
    odd: list[bytes] = []
    with path.open("rb") as file:
        for line in file:
            if not line.isascii():
                try:
                    line.decode("utf-8")
                except UnicodeDecodeError:
                    odd.append(line)
                    if len(odd) == 500:
                        break
    return single_byte_encoding(b"".join(odd))


def first_bad_line(path: Path, encoding: str) -> int | None:
    with path.open("rb") as file:
        for at, line in enumerate(file, 1):
            try:
                line.decode(encoding)
            except UnicodeDecodeError:
                return at
    return None


def ragged(path: Path, look: Look, told: str) -> ReadError:
    """The error for a record with too many or too few fields: found again line by line, to say where it stands."""
    with path.open(encoding=look.encoding, errors="replace", newline="") as file:
        reader = csv.reader(file, delimiter=look.delimiter)
        try:
            for row in reader:
                if row and len(row) != len(look.names):
                    many = "fields" if len(row) != 1 else "field"
                    return ReadError(
                        f"this record has {len(row)} {many}, the header has {len(look.names)}.",
                        where=f"{path.name}, line {reader.line_num}",
                        todo="Mend the line in the file, or choose another delimiter.",
                    )
        except csv.Error as error:
            return ReadError(
                f"{error}.", where=f"{path.name}, line {reader.line_num}", todo="Mend the line in the file."
            )
    reason = told.splitlines()[0].removeprefix("CSV parse error: ")
    return ReadError(
        f"the file cannot be read as delimited text ({reason}).",
        where=path.name,
        todo="Mend the file, or choose another delimiter.",
    )
