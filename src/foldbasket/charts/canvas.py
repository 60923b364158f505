"""Paper to draw on, in pixels from its upper left corner: matplotlib behind a few words. The same figure becomes a picture, SVG or PDF."""

from __future__ import annotations

import logging
import os
import warnings
from collections.abc import Sequence
from functools import cache, lru_cache
from typing import Any, BinaryIO, Literal

from matplotlib import font_manager
from matplotlib.artist import Artist
from matplotlib.backends.backend_agg import FigureCanvasAgg, RendererAgg
from matplotlib.collections import LineCollection, PathCollection, PolyCollection
from matplotlib.figure import Figure
from matplotlib.font_manager import FontProperties
from matplotlib.lines import Line2D
from matplotlib.markers import MarkerStyle
from matplotlib.patches import Polygon, Wedge
from matplotlib.path import Path
from matplotlib.text import Text
from matplotlib.transforms import Affine2D, IdentityTransform

from foldbasket.styling.styles import Inks
from foldbasket.turns import give_way

DPI = 96
FACES = ("Inter", "Noto Sans", "DejaVu Sans")
Point = tuple[float, float]
Across = Literal["left", "center", "right"]
Down = Literal["top", "center", "bottom", "baseline"]

os.environ.setdefault("MPLBACKEND", "agg")
# Faces that stand in for missing letters have fewer weights; the nearest will do, and nobody need read of it on the terminal.
logging.getLogger("matplotlib.font_manager").setLevel(logging.ERROR)
warnings.filterwarnings("ignore", message=r"Glyph \d+ .* missing from")


@lru_cache(maxsize=8)
def _faces(family: str) -> tuple[str, ...]:
    """The faces that are there, of those wanted."""
    known = {font.name for font in font_manager.fontManager.ttflist}
    wanted = ("DejaVu Serif",) if family == "serif" else (family,) if family else ()
    return tuple(face for face in (*wanted, *FACES) if face in known)


@lru_cache(maxsize=64)
def _font(family: str, size: float, bold: bool) -> FontProperties:
    return FontProperties(family=list(_faces(family)), size=size * 72 / DPI, weight="semibold" if bold else "normal")


@lru_cache(maxsize=1)
def _ruler() -> RendererAgg:
    return RendererAgg(8, 8, DPI)


@lru_cache(maxsize=20_000)
def width_of(text: str, size: float, bold: bool, family: str) -> float:
    """How wide a text is, in pixels."""
    return float(_ruler().get_text_width_height_descent(text, _font(family, size, bold), False)[0]) if text else 0.0


@cache
def _circle() -> Path:
    """A dot, of a size of one."""
    marker = MarkerStyle("o")
    return marker.get_path().transformed(marker.get_transform())


class _Renderer(RendererAgg):
    """Lets the window's thread go first before each thing it draws."""

    def open_group(self, s: str, gid: str | None = None) -> None:
        give_way()


class _Drawing(FigureCanvasAgg):
    """Draws with it."""

    def get_renderer(self) -> RendererAgg:
        wide, tall = self.get_width_height(physical=True)
        made: RendererAgg | None = getattr(self, "renderer", None)
        if made is None or (made.width, made.height, made.dpi) != (wide, tall, self.figure.dpi):
            made = self.renderer = _Renderer(wide, tall, self.figure.dpi)
        return made


class Canvas:
    """The paper. `scale` says how many dots of a picture a pixel is. Boxes of one colour are drawn together, since a chart may have thousands."""

    def __init__(self, width: float, height: float, inks: Inks, family: str = "", scale: float = 1.0) -> None:
        self.width, self.height, self.inks, self.family = width, height, inks, family
        self.figure = Figure(figsize=(width / DPI, height / DPI), dpi=DPI * scale, facecolor=inks.paper)
        _Drawing(self.figure)
        # All is put on the figure itself: axes that are not seen take longer to make than a small chart.
        self._on_paper = Affine2D().scale(1 / DPI, -1 / DPI).translate(0, height / DPI) + self.figure.dpi_scale_trans
        self._boxes: dict[tuple[str, str, int], list[list[Point]]] = {}
        self.texts: list[tuple[str, tuple[float, float, float, float]]] = []
        """Every text with the box it takes: left, top, right, bottom."""

    # --- what is drawn --------------------------------------------------------

    def text(
        self,
        x: float,
        y: float,
        text: str,
        *,
        size: float = 12,
        ink: str | None = None,
        bold: bool = False,
        across: Across = "left",
        down: Down = "center",
    ) -> None:
        """A text; no sign in it means anything but itself."""  # fmt: skip
        made = Text(
            x, y, text, color=ink or self.inks.ink, fontproperties=_font(self.family, size, bold), ha=across, va=down, parse_math=False, zorder=5
        )  # fmt: skip
        self._add(made)
        wide, tall = width_of(text, size, bold, self.family), size * 1.2
        left = x - {"left": 0.0, "center": wide / 2, "right": wide}[across]
        top = y - {"top": 0.0, "center": tall / 2, "bottom": tall, "baseline": tall * 0.8}[down]
        self.texts.append((text, (left, top, left + wide, top + tall)))

    def width_of(self, text: str, size: float = 12, bold: bool = False) -> float:
        """How wide a text is."""
        return width_of(text, size, bold, self.family)

    def fitted(self, text: str, room: float, size: float = 12, bold: bool = False) -> str:
        """A text, cut with an ellipsis where it is wider than the room for it; empty where not even that fits."""
        if self.width_of(text, size, bold) <= room:
            return text
        low, high = 0, len(text)
        while low < high:
            middle = (low + high + 1) // 2
            low, high = (
                (middle, high) if self.width_of(text[:middle].rstrip() + "…", size, bold) <= room else (low, middle - 1)
            )
        return text[:low].rstrip() + "…" if low else ""

    def line(
        self, points: Sequence[Point], ink: str, thick: float = 1.0, dashes: Sequence[float] = (), above: int = 2
    ) -> None:
        """A line through points."""
        made = Line2D(
            [x for x, _ in points], [y for _, y in points], color=ink, linewidth=thick * 72 / DPI, solid_capstyle="butt", solid_joinstyle="round",
            zorder=above,
        )  # fmt: skip
        if dashes:
            made.set_dashes(list(dashes))
        self._add(made)

    def lines(self, segments: Sequence[Sequence[Point]], ink: str, thick: float = 1.0, above: int = 1) -> None:
        """Many lines of one ink."""
        if segments:
            self._add(LineCollection(list(segments), colors=ink, linewidths=thick * 72 / DPI, zorder=above))

    def box(
        self, left: float, top: float, right: float, bottom: float, ink: str, hatch: str = "", above: int = 2
    ) -> None:
        """A filled box."""
        corners = [(left, top), (right, top), (right, bottom), (left, bottom)]
        self._boxes.setdefault((ink, hatch, above), []).append(corners)

    def area(self, points: Sequence[Point], ink: str, hatch: str = "") -> None:
        """A filled area."""
        made = Polygon(
            list(points),
            closed=True,
            facecolor=self.inks.paper if hatch else ink,
            edgecolor=ink,
            linewidth=0.6,
            hatch=hatch or None,
            zorder=2,
        )
        self._add(made)

    def wedge(
        self, centre: Point, outer: float, inner: float, start: float, stop: float, ink: str, hatch: str = ""
    ) -> None:
        """A piece of a ring, between two angles in degrees from the top, clockwise."""
        made = Wedge(
            centre, outer, start - 90, stop - 90, width=outer - inner, facecolor=self.inks.paper if hatch else ink,
            edgecolor=ink if hatch else self.inks.paper, linewidth=0.8, hatch=hatch or None, zorder=2,
        )  # fmt: skip
        self._add(made)

    def dots(
        self, points: Sequence[Point], radius: float | Sequence[float], ink: str, hollow: bool = False, above: int = 4
    ) -> None:
        """Filled circles, or rings of the paper's colour."""
        radii = [radius] * len(points) if isinstance(radius, int | float) else list(radius)
        made: Any = PathCollection(
            (_circle(),), [(each * 2 * 72 / DPI) ** 2 for each in radii], offsets=list(points), offset_transform=self._on_paper,
            facecolors=self.inks.paper if hollow else ink, edgecolors=ink if hollow else self.inks.paper, linewidths=1.2 if hollow else 0.5, zorder=above,
        )  # fmt: skip
        made.set_transform(IdentityTransform())
        self._add(made)

    def _add(self, made: Artist) -> None:
        if not made.is_transform_set():
            made.set_transform(self._on_paper)
        self.figure.add_artist(made)

    # --- what becomes of it ---------------------------------------------------

    def done(self) -> Figure:
        """The figure, with everything on it."""
        for (ink, hatch, above), boxes in self._boxes.items():
            made = PolyCollection(
                boxes, facecolors=self.inks.paper if hatch else ink, edgecolors=ink if hatch else "none", linewidths=0.6 if hatch else 0,
                hatch=hatch or None, zorder=above,
            )  # fmt: skip
            self._add(made)
        self._boxes.clear()
        return self.figure

    def pixels(self) -> tuple[bytes, int, int]:
        """The picture as RGBA, 8 bits each, from the upper left; and its width and height in dots."""
        canvas = self.done().canvas
        assert isinstance(canvas, FigureCanvasAgg)
        canvas.draw()
        wide, tall = canvas.get_width_height(physical=True)
        return bytes(canvas.buffer_rgba()), wide, tall

    def let_go(self) -> None:
        """Takes the figure apart, once its picture was taken. It is a circle of objects that holds megabytes of dots, and in the window such
        circles are collected late."""
        canvas: Any = self.figure.canvas
        canvas.renderer = None
        canvas.figure = None
        self.figure.artists.clear()  # each of which knows how it is taken out of this list
        self.figure.clear()
        self.figure.__dict__.clear()

    def save(self, file: BinaryIO, form: Literal["png", "svg", "pdf"], title: str) -> None:
        """Writes the picture. It bears no date, so that the same chart is the same file."""
        import matplotlib

        said: dict[str, Any] = {
            "Title": title,
            **({"Date": None} if form == "svg" else {"CreationDate": None} if form == "pdf" else {}),
        }
        with matplotlib.rc_context(
            {"svg.fonttype": "path", "svg.hashsalt": "fold basket", "pdf.fonttype": 42, "hatch.linewidth": 0.6}
        ):
            self.done().savefig(file, format=form, metadata=said, facecolor=self.inks.paper)
