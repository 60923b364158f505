"""A report as text for a terminal: aligned, with a rule over totals, as wide as the terminal is, in colours where it has them."""

from __future__ import annotations

import unicodedata
from collections.abc import Sequence

from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.lines.axis import Kind
from foldbasket.folding.report.report import Report
from foldbasket.outputs.harmless import dressed_text, harmless
from foldbasket.outputs.sheet import Sheet

GAP = "  "
LEAST, MOST = 8, 40
"""A name is shortened to so many places where there is little room, and to so many at most."""
BOLD, DIM, RED, PLAIN = "\033[1m", "\033[2m", "\033[31m", "\033[0m"


def lines(report: Report, width: int | None = None, *, in_colour: bool = False) -> list[str]:
    """The report's lines, none wider than `width`: columns for which there is no room are left out, and a last line says how many."""
    return _Printer(report, width, in_colour).lines()


class _Printer:
    def __init__(self, report: Report, width: int | None, in_colour: bool) -> None:
        self.report, self.width, self.in_colour = report, width, in_colour
        self.sheet, self.dressed = Sheet(report), Dressed(report)
        self.heads = [self._head(line) for line in range(report.height)]
        self.cells = [self._cells(line) for line in range(report.height)]

    def _head(self, line: int) -> list[str]:
        inset = "  " * self.sheet.indent(line)
        return [inset + _plain(text) for text in self.sheet.row_head(line, repeat=self.report.look.layout.repeat)]

    def _cells(self, line: int) -> list[tuple[str, bool]]:
        """The text of each cell of a line, and whether it is below zero."""
        codes = self.dressed.codes(range(line, line + 1), range(self.report.width))[0].tolist()
        found = []
        for column, code in enumerate(codes):
            text = _plain(dressed_text(self.dressed, line, column, self.dressed.palette[code]))
            found.append((text, text.lstrip("-−(") != text and any(sign.isdigit() for sign in text)))
        return found

    def lines(self) -> list[str]:
        """All lines, from the first heading to what is left out."""
        report, sheet = self.report, self.sheet
        corner = [_plain(text) for text in sheet.corner()]
        names = [
            max([_width(corner[at]), *(_width(head[at]) for head in self.heads)]) for at in range(sheet.head_columns)
        ]
        grid = [[_plain(text) for text in row] for row in sheet.head_grid()]
        widths = [
            max([_width(grid[-1][sheet.head_columns + at]), *(_width(cells[at][0]) for cells in self.cells)])
            for at in range(report.width)
        ]
        names, shown = self._fitting(names, widths)
        said = [*self._headings(grid, names, widths[:shown])]
        rule = "─" * (sum(names) + len(GAP) * (len(names) - 1) + sum(each + len(GAP) for each in widths[:shown]))
        said.append(self._told(rule, DIM))
        for line, (head, cells) in enumerate(zip(self.heads, self.cells, strict=True)):
            kind = report.left.kind[line]
            is_total = kind in (Kind.SUBTOTAL, Kind.GRAND)
            if kind == Kind.GRAND and (line == 0 or report.left.kind[line - 1] != Kind.GRAND) and line:
                said.append(self._told(rule, DIM))
            text = GAP.join(_left(each, room) for each, room in zip(head, names, strict=True))
            numbers = "".join(
                GAP + self._told(_right(cell, room), RED if below and self.in_colour else "")
                for (cell, below), room in zip(cells[:shown], widths, strict=False)
            )
            said.append(f"{self._told(text, BOLD if is_total else '')}{numbers}".rstrip())
            if self.sheet.gaps[line]:
                said.append("")
        if shown < report.width:
            left = report.width - shown
            said.append(
                self._told(f"… {left:,} more column{'s' if left != 1 else ''} for which there is no room.", DIM)
            )
        return said

    def _fitting(self, names: list[int], widths: Sequence[int]) -> tuple[list[int], int]:
        """How wide each column of names is, and how many columns of cells there is room for."""
        if self.width is None:
            return names, len(widths)
        names = [min(each, MOST) for each in names]
        wanted = sum(names) + len(GAP) * (len(names) - 1) + sum(each + len(GAP) for each in widths)
        for at in sorted(range(len(names)), key=lambda at: -names[at]):
            spare = max(0, wanted - self.width)
            less = max(0, min(spare, names[at] - LEAST))
            names[at], wanted = names[at] - less, wanted - less
        room, shown = self.width - sum(names) - len(GAP) * (len(names) - 1), 0
        for each in widths:
            if room < each + len(GAP):
                break
            room, shown = room - each - len(GAP), shown + 1
        return names, max(1, shown) if widths else 0

    def _headings(self, grid: Sequence[Sequence[str]], names: Sequence[int], widths: Sequence[int]) -> list[str]:
        """The heading lines: names over all the columns they stand for, the last line over each."""
        said = []
        many = self.sheet.head_columns
        for row, texts in enumerate(grid):
            left = GAP.join(_left(text, room) for text, room in zip(texts[:many], names, strict=True))
            own = texts[many : many + len(widths)]
            if row == len(grid) - 1:
                right = "".join(GAP + _right(text, room) for text, room in zip(own, widths, strict=True))
            else:
                right, at = "", 0
                while at < len(widths):  # a name has the room of the columns that follow it without one
                    stop = at + 1
                    while stop < len(widths) and not own[stop]:
                        stop += 1
                    room = sum(widths[at:stop]) + len(GAP) * (stop - at - 1)
                    right += GAP + (_left(own[at], room) if stop - at > 1 else _right(own[at], room))
                    at = stop
            said.append(self._told(f"{left}{right}".rstrip(), BOLD))
        return said

    def _told(self, text: str, how: str) -> str:
        return f"{how}{text}{PLAIN}" if how and self.in_colour else text


def _plain(text: str) -> str:
    return " ".join("".join(sign for sign in harmless(text) if sign.isprintable() or sign == " ").split())


def _width(text: str) -> int:
    """The places that a text takes: two for wide signs, none for those that stand over another."""
    return sum(
        0 if unicodedata.combining(sign) else 2 if unicodedata.east_asian_width(sign) in "WF" else 1 for sign in text
    )


def _short(text: str, room: int) -> str:
    if _width(text) <= room:
        return text
    while text and _width(text) > room - 1:
        text = text[:-1]
    return f"{text}…" if room > 0 else ""


def _left(text: str, room: int) -> str:
    text = _short(text, room)
    return text + " " * (room - _width(text))


def _right(text: str, room: int) -> str:
    text = _short(text, room)
    return " " * (room - _width(text)) + text
