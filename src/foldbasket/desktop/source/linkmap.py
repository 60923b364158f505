"""The map of links: a box for each table, a line for each link, and how well it fits. Links are made by dropping fields.

A field dragged onto a table's box shows that table's fields; dropped on one of them, the two fields become a link.
"""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QMenu, QWidget

from foldbasket.baskets import edits
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.sentence.word import dropped_field
from foldbasket.desktop.source.linklayout import LINE, MOST_FIELDS, Box, columns_of, distance, likeliest, near_side
from foldbasket.desktop.state.part import Part
from foldbasket.desktop.widgets import theme
from foldbasket.desktop.widgets.plain import elided
from foldbasket.errors import FoldBasketError
from foldbasket.links.link import Link, Match
from foldbasket.spec.field import FieldRef
from foldbasket.styling.words import number_of

BOX_WIDTH, BOX_HEIGHT = 132, 45
ACROSS, DOWN, LABEL = 140, 13, 88


class LinkMap(QWidget):
    """The drawing. `height_wanted` follows how many tables stand below one another."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.desk = desk
        self.boxes: list[Box] = []
        self._over: str | None = None
        self._over_field: str | None = None
        self._chosen = 0
        self.setAcceptDrops(True)
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Map of links")
        desk.when(Part.VIEW | Part.TABLES | Part.SOURCES | Part.FINDINGS, self, self.renew)
        self.renew()

    # --- layout -------------------------------------------------------------

    def lines(self) -> list[tuple[Link, bool]]:
        """The links of the basket, and the suggested ones."""
        return [
            *((link, False) for link in self.desk.basket.links),
            *((link, True) for link in self.desk.supply.looker.suggestions),
        ]

    def renew(self) -> None:
        """Lays the tables out anew: finest at the left, each as far right as its longest path."""
        names = [source.key for source in self.desk.basket.sources]
        links = [link for link, _ in self.lines() if link.from_table in names and link.to_table in names]
        column = columns_of(names, links)
        linked = {end for link in links for end in (link.from_table, link.to_table)}
        by_column: dict[int, list[str]] = {}
        for name in sorted(names, key=lambda name: (name not in linked, names.index(name))):
            by_column.setdefault(column[name], []).append(name)
        tallest = max((len(each) for each in by_column.values()), default=1)
        self.boxes = []
        for at, members in sorted(by_column.items()):
            space = (tallest - len(members)) * (BOX_HEIGHT + DOWN) / 2
            for row, name in enumerate(members):
                area = QRectF(
                    24 + at * (BOX_WIDTH + ACROSS), 12 + space + row * (BOX_HEIGHT + DOWN), BOX_WIDTH, BOX_HEIGHT
                )
                self.boxes.append(Box(name, area))
        self.setMinimumSize(self.sizeHint())
        self.setAccessibleDescription(". ".join(self.said(link, is_new) for link, is_new in self.lines()))
        self.update()

    def sizeHint(self) -> QSize:
        right = max((box.area.right() for box in self.boxes), default=100)
        bottom = max((box.area.bottom() for box in self.boxes), default=40)
        return QSize(int(right + 160), int(bottom + 16))

    def box(self, name: str) -> Box | None:
        return next((box for box in self.boxes if box.key == name), None)

    # --- words --------------------------------------------------------------

    def called(self, key: str) -> str:
        """The name of a table."""
        return self.desk.basket.source_name(key)

    def remark(self, name: str) -> tuple[str, bool]:
        """What stands below a table's name, and whether it is a fault."""
        table = self.desk.tables.get(name)
        if table is None:
            return "not read", True
        said = f"{table.count:,}"
        inward = [link for link in self.desk.basket.links if link.to_table == name]
        faults = []
        for link in inward:
            match = self.desk.supply.looker.matches.get(link)
            if isinstance(match, FoldBasketError):
                return "cannot be linked", True
            if isinstance(match, Match) and (match.repeats or match.not_found):
                faults.append(match.label)
        if faults:
            return faults[0], True
        matched = inward and all(isinstance(self.desk.supply.looker.matches.get(link), Match) for link in inward)
        return (f"{said} · all found", False) if matched else (number_of(table.count, "record"), False)

    def said(self, link: Link, suggested: bool = False) -> str:
        """A link in a sentence."""
        start = "Suggested: " if suggested else ""
        match = self.desk.supply.looker.matches.get(link)
        end = f", {match.label}" if isinstance(match, Match) else f", {match}" if match is not None else ""
        return f"{start}{link.said(self.called)}{end}"

    # --- drawing ------------------------------------------------------------

    def paintEvent(self, event: Any) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        colours = theme.palette()
        painter.fillRect(self.rect(), QColor(colours.page))
        for at, (link, is_new) in enumerate(self.lines()):
            self._draw_line(painter, link, is_new, at, colours)
        self._draw_labels(painter, colours)
        for box in self.boxes:
            self._draw_box(painter, box, colours)
        if self._over is not None:
            self._draw_fields(painter, colours)

    def _ends(self, link: Link) -> tuple[QPointF, QPointF, float] | None:
        """Where a line starts and stops, and where it turns: lines to one table arrive side by side, and those of different
        tables turn at different places, so that none runs along another's."""
        near, far = self.box(link.from_table), self.box(link.to_table)
        if near is None or far is None:
            return None
        inward = [each for each, _ in self.lines() if each.to_table == link.to_table]
        starts = [box.key for box in self.boxes if box.area.left() == near.area.left()]
        shift = (inward.index(link) - (len(inward) - 1) / 2) * min(16.0, (BOX_HEIGHT - 12) / max(1, len(inward)))
        turn = far.area.left() - LABEL - 8 * starts.index(near.key)
        return near_side(near), QPointF(far.area.left(), far.area.center().y() + shift), turn

    def _draw_line(self, painter: QPainter, link: Link, is_new: bool, at: int, colours: theme.Palette) -> None:
        ends = self._ends(link)
        if ends is None:
            return
        start, stop, turn = ends
        match = self.desk.supply.looker.matches.get(link)
        wrong = isinstance(match, FoldBasketError) or (
            isinstance(match, Match) and bool(match.repeats or match.not_found)
        )
        colour = QColor(colours.muted if is_new else colours.columns if wrong else colours.rows)
        pen = QPen(
            colour,
            1.4 if is_new else 2.2,
            Qt.PenStyle.DotLine if is_new else Qt.PenStyle.DashLine if wrong else Qt.PenStyle.SolidLine,
        )
        if self.hasFocus() and at == self._chosen:
            pen.setWidthF(3.4)
        painter.setPen(pen)
        path = QPainterPath(start)
        path.lineTo(QPointF(turn, start.y()))
        path.lineTo(QPointF(turn, stop.y()))
        path.lineTo(stop)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPath(path)

    def _draw_labels(self, painter: QPainter, colours: theme.Palette) -> None:
        """The key fields beside where lines arrive: above them and, when the keys differ, below; each text once."""
        painter.setFont(theme.font(11))
        metrics = painter.fontMetrics()
        for box in self.boxes:
            arriving: dict[str, tuple[QPointF, QPointF, float]] = {}
            stops = []
            for link, _ in self.lines():
                ends = self._ends(link) if link.to_table == box.key else None
                if ends is not None:
                    arriving.setdefault(
                        ", ".join(one if one == other else f"{one} = {other}" for one, other in link.keys), ends
                    )
                    stops.append(ends[1].y())
            for at, (keys, (start, stop, turn)) in enumerate(list(arriving.items())[:2]):
                level = len(stops) == 1 and abs(stop.y() - start.y()) < 3
                room = stop.x() - (start.x() if level else turn) - 12
                text = elided(metrics, keys, int(room), Qt.TextElideMode.ElideMiddle)
                wide = metrics.horizontalAdvance(text) + 4
                below = at == 1 or (len(arriving) == 1 and stop.y() > start.y() + 3)
                y = max(stops) + 2 if below else min(stops) - 17
                place = QRectF((start.x() + stop.x() - wide) / 2 if level else stop.x() - 6 - wide, y, wide, 15)
                painter.setPen(QColor(colours.muted))
                painter.drawText(place, Qt.AlignmentFlag.AlignCenter, text)

    def _draw_box(self, painter: QPainter, box: Box, colours: theme.Palette) -> None:
        here = box.key == self.desk.view.source_key
        painter.setPen(QPen(QColor(colours.ink), 1.6 if here else 1))
        painter.setBrush(QColor(colours.selection if box.key == self._over else colours.paper))
        painter.drawRoundedRect(box.area, 3, 3)
        inner = box.area.adjusted(12, 5, -8, -5)
        painter.setFont(theme.font(13, QFont.Weight.DemiBold))
        painter.setPen(QColor(colours.ink))
        name = elided(painter.fontMetrics(), self.called(box.key), int(inner.width()))
        painter.drawText(inner, Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft, name)
        said, wrong = self.remark(box.key)
        painter.setFont(theme.font(11, tabular=True))
        painter.setPen(QColor(colours.columns if wrong else colours.muted))
        painter.drawText(inner, Qt.AlignmentFlag.AlignBottom | Qt.AlignmentFlag.AlignLeft, said)

    # --- the fields of the table that a field is dragged over -----------------

    def _fields(self, name: str) -> list[str]:
        table = self.desk.tables.get(name)
        return list(table.columns)[:MOST_FIELDS] if table is not None else []

    def _fields_area(self, box: Box) -> QRectF:
        tall = LINE * len(self._fields(box.key)) + 8
        top = min(box.area.bottom() + 1, max(0.0, self.height() - tall - 2))
        left = box.area.right() + 2 if top < box.area.bottom() else box.area.left()
        return QRectF(left, top, BOX_WIDTH + 30, tall)

    def _draw_fields(self, painter: QPainter, colours: theme.Palette) -> None:
        box = self.box(self._over or "")
        if box is None:
            return
        area = self._fields_area(box)
        painter.setPen(QColor(colours.muted))
        painter.setBrush(QColor(colours.page))
        painter.drawRect(area)
        painter.setFont(theme.font(12))
        for at, field in enumerate(self._fields(box.key)):
            line = QRectF(area.left() + 1, area.top() + 4 + at * LINE, area.width() - 2, LINE)
            if field == self._over_field:
                painter.fillRect(line, QColor(colours.selection))
            painter.setPen(QColor(colours.ink))
            painter.drawText(line.adjusted(10, 0, -6, 0), Qt.AlignmentFlag.AlignVCenter, field)

    def dragEnterEvent(self, event: Any) -> None:
        if dropped_field(event.mimeData()) is not None:
            event.acceptProposedAction()

    def dragMoveEvent(self, event: Any) -> None:
        dragged = dropped_field(event.mimeData())
        if dragged is None:
            return
        self._hover(event.position(), dragged)
        event.setAccepted(self._over is not None)
        self.update()

    def _hover(self, point: QPointF, dragged: FieldRef) -> None:
        if self._over is not None:
            box = self.box(self._over)
            area = self._fields_area(box) if box is not None else QRectF()
            if area.contains(point):
                fields = self._fields(self._over)
                at = int((point.y() - area.top() - 4) // LINE)
                self._over_field = fields[at] if 0 <= at < len(fields) else None
                return
        box = next((box for box in self.boxes if box.area.contains(point)), None)
        self._over = box.key if box is not None and box.key != dragged.table else None
        self._over_field = likeliest(dragged.field, self._fields(self._over)) if self._over else None

    def dragLeaveEvent(self, event: Any) -> None:
        self._over = self._over_field = None
        self.update()

    def dropEvent(self, event: Any) -> None:
        dragged = dropped_field(event.mimeData())
        if dragged is not None:
            self._hover(event.position(), dragged)
            if self._over is not None and self._over_field is not None:
                self.link(dragged, FieldRef(self._over, self._over_field))
                event.acceptProposedAction()
        self._over = self._over_field = None
        self.update()

    # --- making and changing links --------------------------------------------

    def link(self, one: FieldRef, other: FieldRef) -> bool:
        """Links two fields, from the many to the one: to the side whose key names each record once."""
        return self.desk.sources.link(one, other)

    def _link_at(self, point: QPointF) -> tuple[Link, bool] | None:
        best, nearest = None, 7.0
        for link, is_new in self.lines():
            ends = self._ends(link)
            if ends is None:
                continue
            start, stop, turn = ends
            for a, b in (
                (start, QPointF(turn, start.y())),
                (QPointF(turn, start.y()), QPointF(turn, stop.y())),
                (QPointF(turn, stop.y()), stop),
            ):
                away = distance(point, a, b)
                if away < nearest:
                    best, nearest = (link, is_new), away
        return best

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        assert event is not None
        point = event.position()
        box = next((box for box in self.boxes if box.area.contains(point)), None)
        if box is not None:
            self.desk.show_source(box.key)
            return
        found = self._link_at(point)
        if found is not None:
            self._chosen = [link for link, _ in self.lines()].index(found[0])
            self.menu(*found).popup(event.globalPosition().toPoint())

    def menu(self, link: Link, is_new: bool) -> QMenu:
        """What can be done to a link."""
        menu = QMenu(self)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        title = menu.addAction(self.said(link, is_new))
        assert title is not None
        title.setEnabled(False)
        menu.addSeparator()
        if is_new:
            menu.addAction("Accept it", lambda: self.desk.do(edits.AddLinks((link,))))
            if len(self.desk.supply.looker.suggestions) > 1:
                menu.addAction("Accept all suggested links", self.desk.sources.accept_links)
        else:
            match = self.desk.supply.looker.matches.get(link)
            if isinstance(match, Match) and match.not_found:
                menu.addAction(
                    "Show the records not found", lambda: self.desk.show_source(link.from_table, link.keys[0][0])
                )
            if isinstance(match, Match) and match.repeats:
                for key, times in match.repeated[:5]:
                    line = menu.addAction(f"“{key}” stands on {times:,} records of {self.called(link.to_table)}")
                    assert line is not None
                    line.setEnabled(False)
                menu.addAction("Keep one record for each key, by a mend", lambda: self.desk.sources.keep_one(link))
            turned = Link(link.to_table, link.from_table, tuple((far, near) for near, far in link.keys))
            menu.addAction(
                "Turn it round",
                lambda: self.desk.do(
                    edits.ChangeLink(link, turned, f"Turn the link to {self.called(link.to_table)} round")
                ),
            )
            menu.addAction("Take it out", lambda: self.desk.do(edits.RemoveLink(link)))
        return menu

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        assert event is not None
        lines = self.lines()
        if lines and event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Right, Qt.Key.Key_Up, Qt.Key.Key_Left):
            step = 1 if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Right) else -1
            self._chosen = (self._chosen + step) % len(lines)
            self.update()
        elif lines and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Menu):
            ends = self._ends(lines[min(self._chosen, len(lines) - 1)][0])
            point = ends[1] if ends else QPointF(20, 20)
            self.menu(*lines[min(self._chosen, len(lines) - 1)]).popup(self.mapToGlobal(point.toPoint()))
        elif lines and event.key() == Qt.Key.Key_Delete:
            link, is_new = lines[min(self._chosen, len(lines) - 1)]
            if not is_new:
                self.desk.do(edits.RemoveLink(link))
        else:
            super().keyPressEvent(event)
