"""Colours, fonts and the style sheet: one place for how everything looks, in a light and a dark set.

The four strands have a colour and a stroke each; position and stroke carry the meaning too, never the colour alone.
"""

from __future__ import annotations

from functools import lru_cache
from typing import Literal, NamedTuple

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QGuiApplication, QPainter, QPen

from foldbasket.desktop.widgets import plain

SPINE_WIDTH = 226
CARD_WIDTH = 266
BODY, SMALL, LARGE = 13, 12, 18


class Palette(NamedTuple):
    """Every colour of one set, as #RRGGBB."""

    paper: str
    page: str
    panel: str
    line: str
    ink: str
    muted: str
    measures: str
    rows: str
    columns: str
    filters: str
    measures_tint: str
    rows_tint: str
    columns_tint: str
    filters_tint: str
    selection: str
    rule: str
    good: str

    def strand(self, name: str) -> QColor:
        return QColor(getattr(self, name))

    def tint(self, name: str) -> QColor:
        return QColor(getattr(self, f"{name}_tint"))


LIGHT = Palette(
    paper="#FCFAF6", page="#FFFFFF", panel="#F4F0E8", line="#E0D9CB", ink="#2A2622", muted="#736B5E",
    measures="#9A6B12", rows="#3F4E8C", columns="#A5473A", filters="#55646F",
    measures_tint="#F5E9CF", rows_tint="#E4E7F3", columns_tint="#F6E2DE", filters_tint="#E6EAED",
    selection="#E9E4F2", rule="#A9A08C", good="#2F6B45",
)  # fmt: skip
DARK = Palette(
    paper="#23211E", page="#1D1B19", panel="#2B2825", line="#433E38", ink="#F0EBE2", muted="#ABA294",
    measures="#D9A441", rows="#93A2E6", columns="#E58B7C", filters="#9FB1BD",
    measures_tint="#4A3C1D", rows_tint="#333A5C", columns_tint="#522F2A", filters_tint="#353D43",
    selection="#3B3550", rule="#6B6355", good="#7CC096",
)  # fmt: skip


STRONG = Palette(
    paper="#FFFFFF", page="#FFFFFF", panel="#FFFFFF", line="#6B6B6B", ink="#000000", muted="#3D3D3D",
    measures="#6B4600", rows="#1B2C80", columns="#8A1F12", filters="#263640",
    measures_tint="#FFEFC9", rows_tint="#DDE3FF", columns_tint="#FFE0DB", filters_tint="#DFE7EC",
    selection="#D6D0F5", rule="#4A4A4A", good="#0F5A2C",
)  # fmt: skip
STRONG_DARK = Palette(
    paper="#000000", page="#000000", panel="#000000", line="#A8A8A8", ink="#FFFFFF", muted="#D2D2D2",
    measures="#FFD37A", rows="#C3CDFF", columns="#FFB9AE", filters="#CFDCE6",
    measures_tint="#4A3600", rows_tint="#26306B", columns_tint="#5E1D14", filters_tint="#2C3B46",
    selection="#3F3880", rule="#C4C4C4", good="#A5E8BD",
)  # fmt: skip
_SETS = {"light": LIGHT, "dark": DARK, "strong": STRONG, "strong dark": STRONG_DARK}
_worn = "desktop"


def wear(appearance: str) -> None:
    """Has the whole program light, dark, either in high contrast, or as the desktop has it. Kept here as well, since not every platform takes a choice."""
    global _worn
    _worn = appearance
    hints = QGuiApplication.styleHints()
    light, dark = Qt.ColorScheme.Light, Qt.ColorScheme.Dark
    schemes = {"light": light, "dark": dark, "strong": light, "strong dark": dark}
    if hints is not None:
        hints.setColorScheme(schemes.get(appearance, Qt.ColorScheme.Unknown))


def palette() -> Palette:
    """The set that was chosen, or that goes with the desktop's own choice of light or dark."""
    if _worn in _SETS:
        return _SETS[_worn]
    hints = QGuiApplication.styleHints()
    return DARK if hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark else LIGHT


def paper() -> Literal["light", "dark"]:
    """The form of styles that goes with it."""
    return "dark" if palette() in (DARK, STRONG_DARK) else "light"


@lru_cache(maxsize=1)
def family() -> str:
    """Inter where the system has it, else the system's own sans."""
    return (
        "Inter"
        if "Inter" in QFontDatabase.families()
        else QFontDatabase.systemFont(QFontDatabase.SystemFont.GeneralFont).family()
    )


SERIFS = ("DejaVu Serif", "Noto Serif", "Liberation Serif", "Times New Roman")
"""Faces with serifs, the one that charts have first."""


@lru_cache(maxsize=1)
def serif() -> str:
    """The first face with serifs that the system has."""
    known = set(QFontDatabase.families())
    return next((face for face in SERIFS if face in known), "serif")


@lru_cache(maxsize=256)
def font(pixels: float = BODY, weight: QFont.Weight = QFont.Weight.Normal, tabular: bool = False) -> QFont:
    """A font by size in pixels; `tabular` gives every digit the same width. Each sign keeps its own shape whatever stands beside it: joined or raised
    ones have no code point, so that a PDF with them could not be searched."""
    made = QFont(family())
    made.setPixelSize(max(6, round(pixels)))
    made.setHintingPreference(QFont.HintingPreference.PreferNoHinting)  # letters keep their own widths
    made.setWeight(weight)
    if pixels >= LARGE:
        made.setLetterSpacing(QFont.SpacingType.AbsoluteSpacing, -0.35)
    for joining in ("calt", "liga", "clig"):
        made.setFeature(QFont.Tag(joining), 0)
    if tabular:
        made.setFeature(QFont.Tag("tnum"), 1)
    return made


def draw_stroke(painter: QPainter, strand: str, start: QPointF, stop: QPointF, colour: QColor) -> None:
    """A strand's own stroke between two points: rows solid, columns double, measures dotted, filters dashed."""
    painter.save()
    if strand == "columns":
        across = QPointF(0, 3) if start.y() == stop.y() else QPointF(3, 0)
        painter.setPen(QPen(colour, 1))
        painter.drawLine(start, stop)
        painter.drawLine(start + across, stop + across)
    else:
        pen = QPen(colour, 2 if strand != "measures" else 2.4)
        pen.setCapStyle(Qt.PenCapStyle.FlatCap)
        if strand == "measures":
            pen.setDashPattern([1, 1])
        elif strand == "filters":
            pen.setDashPattern([3, 2])
        painter.setPen(pen)
        painter.drawLine(start, stop)
    painter.restore()


def draw_focus(painter: QPainter, area: QRectF, colours: Palette) -> None:
    """The ring that shows where the keyboard is."""
    painter.save()
    painter.setPen(QPen(QColor(colours.ink), 1, Qt.PenStyle.DotLine))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawRoundedRect(area.adjusted(0.5, 0.5, -0.5, -0.5), 3, 3)
    painter.restore()


def style_sheet(p: Palette) -> str:
    """The style sheet of the whole window."""
    return f"""{plain.STYLE}
    * {{ font-family: "{family()}"; font-size: {BODY}px; color: {p.ink}; }}
    QMainWindow, QDialog, QMessageBox {{ background: {p.paper}; }}
    QMenuBar {{ background: {p.panel}; border-bottom: 1px solid {p.line}; padding: 1px 6px; }}
    QMenuBar::item {{ padding: 4px 9px; background: transparent; }}
    QMenuBar::item:selected, QMenu::item:selected {{ background: {p.selection}; }}
    QMenu {{ background: {p.page}; border: 1px solid {p.line}; padding: 4px 0; }}
    QMenu::item {{ padding: 4px 26px 4px 18px; }}
    QMenu::item:disabled {{ color: {p.muted}; }}
    QMenu::separator {{ height: 1px; background: {p.line}; margin: 4px 0; }}
    QToolTip {{ background: {p.ink}; color: {p.page}; border: none; padding: 4px 6px; }}
    #spine {{ background: {p.panel}; border-right: 1px solid {p.line}; }}
    #sentence {{ background: {p.page}; border-bottom: 1px solid {p.line}; }}
    #facts {{ background: {p.paper}; border-bottom: 1px solid {p.line}; }}
    #card, #card QWidget#cardBody {{ background: {p.paper}; }}
    #card {{ border: none; border-left: 1px solid {p.line}; }}
    #start {{ background: {p.paper}; }}
    QLabel {{ background: transparent; }}
    QLabel[role="title"] {{ font-size: 15px; font-weight: 600; }}
    QLabel[role="banner"] {{ font-size: 30px; font-weight: 600; }}
    QCheckBox:disabled, QRadioButton:disabled {{ color: {p.muted}; }}
    QLabel[role="quiet"], QCheckBox[role="quiet"] {{ color: {p.muted}; font-size: {SMALL}px; }}
    QLabel[role="section"] {{ color: {p.muted}; font-size: {SMALL}px; font-weight: 600; }}
    QLabel[role="warning"] {{ color: {p.columns}; font-size: {SMALL}px; }}
    QLabel[role="news"] {{ color: {p.rows}; font-size: {SMALL}px; }}
    QLabel[role="lead"] {{ color: {p.muted}; font-size: {LARGE}px; padding-bottom: 4px; }}
    QLabel[role="strong"] {{ font-weight: 600; }}
    QLabel[role="large"] {{ font-size: {LARGE}px; }}
    QFrame[role="strongLine"] {{ background: {p.ink}; max-height: 2px; min-height: 2px; border: none; }}
    QFrame#links {{ background: {p.page}; border-top: 2px solid {p.ink}; }}
    QFrame[role="line"] {{ background: {p.line}; max-height: 1px; min-height: 1px; border: none; }}
    QPushButton {{ background: {p.page}; border: 1px solid {p.line}; border-radius: 3px; padding: 3px 9px; }}
    QPushButton:hover {{ border-color: {p.muted}; }}
    QPushButton:focus {{ border: 1px solid {p.ink}; }}
    QPushButton:checked, QPushButton[role="main"] {{ background: {p.ink}; color: {p.page}; border-color: {p.ink}; }}
    QPushButton:checked:focus, QPushButton[role="main"]:focus {{ border: 2px solid {p.rows}; padding: 2px 8px; outline: none; }}
    QPushButton:disabled {{ color: {p.rule}; }}
    QPushButton[role="link"] {{ border: none; background: transparent; padding: 1px 2px; color: {p.muted}; text-align: left; }}
    QPushButton[role="link"]:hover {{ color: {p.ink}; text-decoration: underline; }}
    QPushButton[role="link"]:focus {{ color: {p.ink}; text-decoration: underline; }}
    QPushButton[role="head"] {{ border: none; background: transparent; padding: 0; }}
    QPushButton[role="picker"] {{ background: {p.page}; border: 1px solid {p.filters}; }}
    QPlainTextEdit {{ background: {p.page}; border: 1px solid {p.line}; border-radius: 3px; padding: 3px; }}
    QScrollArea#starters, QWidget#startersRoom {{ background: {p.paper}; border: none; }}
    QPlainTextEdit#typed, QPlainTextEdit#typed:focus {{ background: transparent; border: none; padding: 0; font-size: {LARGE}px; }}
    QPlainTextEdit:focus {{ border: 1px solid {p.ink}; }}
    QTextBrowser {{ background: {p.page}; border: 1px solid {p.line}; padding: 8px 14px; }}
    QListWidget#offers {{ background: {p.page}; border: 1px solid {p.rule}; padding: 1px; }}
    QListWidget#offers::item {{ padding: 2px 6px; }}
    QListWidget#offers::item:selected {{ background: {p.selection}; color: {p.ink}; }}
    QFrame#proof {{ background: {p.paper}; border-top: 1px solid {p.line}; }}
    QFrame#proof QTableView {{ background: {p.page}; border: 1px solid {p.line}; gridline-color: {p.line}; }}
    QFrame#proof QHeaderView {{ background: {p.paper}; border: none; }}
    QFrame#proof QHeaderView::section {{ background: {p.paper}; border: none; border-bottom: 1px solid {p.line}; padding: 3px 6px; color: {p.muted}; }}
    QFrame#pickerList {{ background: {p.page}; border: 1px solid {p.rule}; }}
    QPushButton[role="row"] {{ border: none; background: transparent; padding: 6px 8px; text-align: left; }}
    QPushButton[role="row"]:hover, QPushButton[role="row"]:focus {{ background: {p.selection}; }}
    QLineEdit, QComboBox, QPlainTextEdit {{ background: {p.page}; border: 1px solid {p.line}; border-radius: 3px; padding: 3px 7px;
        selection-background-color: {p.rows}; selection-color: {p.page}; }}
    QLineEdit:focus, QComboBox:focus, QPlainTextEdit:focus {{ border-color: {p.ink}; }}
    QLineEdit[wrong="true"] {{ border-color: {p.columns}; }}
    QComboBox::drop-down {{ border: none; width: 18px; }}
    QComboBox::down-arrow {{ image: none; width: 0; }}
    QComboBox QAbstractItemView {{ background: {p.page}; border: 1px solid {p.line}; selection-background-color: {p.selection};
        selection-color: {p.ink}; outline: none; }}
    QListView, QTreeView {{ background: transparent; border: none; outline: none; }}
    QListView#members, QListView#hand {{ background: {p.page}; border: 1px solid {p.line}; border-radius: 3px; }}
    QListView#members:focus, QListView#hand:focus {{ border-color: {p.ink}; }}
    QListView#members::item, QListView#hand::item {{ padding: 2px 4px; color: {p.ink}; }}
    QListView#members::item:selected, QListView#hand::item:selected {{ background: {p.selection}; color: {p.ink}; }}
    QFrame#finder {{ background: {p.page}; border: 1px solid {p.muted}; }}
    QFrame#finder QListView::item:selected {{ background: {p.selection}; color: {p.ink}; }}
    QProgressBar {{ border: 1px solid {p.line}; background: {p.page}; max-height: 6px; border-radius: 3px; }}
    QProgressBar::chunk {{ background: {p.measures}; border-radius: 3px; }}
    QScrollArea {{ border: none; background: transparent; }}
    QAbstractScrollArea::corner {{ background: transparent; border: none; }}
    QScrollBar:vertical {{ background: transparent; width: 11px; margin: 0; }}
    QScrollBar:horizontal {{ background: transparent; height: 11px; margin: 0; }}
    QScrollBar::handle {{ background: {p.line}; border-radius: 4px; margin: 2px; min-height: 28px; min-width: 28px; }}
    QScrollBar::handle:hover {{ background: {p.rule}; }}
    QScrollBar::add-line, QScrollBar::sub-line {{ width: 0; height: 0; }}
    QScrollBar::add-page, QScrollBar::sub-page {{ background: transparent; }}
    """
