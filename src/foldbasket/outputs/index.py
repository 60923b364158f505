"""The index of files that were written together: a page for the web with links, or CSV."""

from __future__ import annotations

import os
from collections.abc import Sequence
from html import escape
from pathlib import Path
from urllib.parse import quote

import msgspec

from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.errors import OutputError
from foldbasket.outputs.delimited import TableWriter
from foldbasket.outputs.formats import appearing_whole
from foldbasket.styling.words import number_of

HEADS = ("Report", "Member", "File", "Rows", "Columns", "Records", "Of")


class Entry(msgspec.Struct, frozen=True):
    """A file: of which fold and member, how large the report is, and of how many records."""

    fold: str
    member: str
    path: Path
    rows: int
    columns: int
    kept: int
    records: int

    def values(self, folder: Path) -> tuple[str, str, str, int, int, int, int]:
        """What the index says of it; the file as seen from a folder."""
        return (
            self.fold,
            self.member,
            os.path.relpath(self.path, folder),
            self.rows,
            self.columns,
            self.kept,
            self.records,
        )


def save_index(entries: Sequence[Entry], path: Path, title: str, guard: OutputGuard) -> None:
    """Writes the index, by the ending of its file. Raises OutputError for another ending, a place that cannot be written, or one that the guard
    refuses."""
    if path.suffix.lower() not in (".html", ".csv"):
        raise OutputError(
            f"an index has no form “{path.suffix}”.", where=str(path), todo="Let its name end in .html or .csv."
        )
    with appearing_whole(path, guard) as fresh:
        if path.suffix.lower() == ".csv":
            with fresh.open("w", encoding="utf-8", newline="") as file:
                writer = TableWriter(file)
                writer.row(HEADS)
                for each in entries:
                    writer.row([str(value) for value in each.values(path.parent)])
        else:
            fresh.write_text(_page(entries, path.parent, title), encoding="utf-8")


def _page(entries: Sequence[Entry], folder: Path, title: str) -> str:
    lines = []
    for each in entries:
        fold, member, file, *numbers = each.values(folder)
        cells = "".join(f"<td class=n>{number:,}</td>" for number in numbers)
        lines.append(
            f'<tr><td>{escape(fold)}</td><td>{escape(member)}</td><td><a href="{quote(file)}">{escape(file)}</a></td>{cells}</tr>'
        )
    heads = "".join(f"<th scope=col>{head}</th>" for head in HEADS)
    style = (
        "body{font-family:sans-serif;margin:2em;color:#2A2622;background:#FCFAF6}table{border-collapse:collapse}"
        "td,th{padding:3px 12px;text-align:left;border-bottom:1px solid #E0D9CB}.n{text-align:right}"
    )
    return (
        f'<!DOCTYPE html><html lang="en"><head><meta charset="utf-8"><title>{escape(title)}</title><style>{style}</style></head><body>'
        f"<h1>{escape(title)}</h1><table><caption>{number_of(len(entries), 'file')}</caption><thead><tr>{heads}</tr></thead><tbody>{''.join(lines)}</tbody></table></body></html>\n"
    )
