"""Styles: how every part of a report looks of which nobody says otherwise. Plain data, in three forms: light, dark, and greys.

A style names inks by what they are for, so that its dark and grey forms are the same looks in other inks. Nothing is told apart by ink
alone: totals by weight and rules, negatives by sign or brackets, highlights by a bar at their edge and by signs.
"""

from __future__ import annotations

from collections.abc import Mapping
from functools import lru_cache
from typing import Literal

import msgspec

from foldbasket.decoding import from_json
from foldbasket.kinds import Choice

Paper = Literal["light", "dark", "grey"]


class Colour(Choice):
    """Colours of highlights, by name; each style and form has an ink and a ground for each."""

    OCHRE = "ochre", "ochre"
    MADDER = "madder", "madder"
    INDIGO = "indigo", "indigo"
    MOSS = "moss", "moss"
    SLATE = "slate", "slate"


class Inks(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The inks of one form of a style, as #RRGGBB; a ground may be empty for the paper's own. `marks` gives for each colour of highlights its
    ink and its ground."""

    paper: str
    ink: str
    muted: str
    rule: str
    accent: str
    marks: Mapping[str, tuple[str, str]]
    band: str = ""
    head: str = ""
    subtotal: str = ""
    grand: str = ""


Line = Literal["none", "thin", "thick", "double"]


class Style(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A style. `family` empty is the program's own face; `size` in points at full size, `spacing` a factor of the height of lines,
    `indent` in points for each level of names in one column. `total_*` are the rules around the grand total, `sub_*` around subtotals."""

    key: str
    label: str
    light: Inks
    dark: Inks
    family: str = ""
    size: float = 13
    spacing: float = 1.0
    indent: float = 14
    bold_totals: bool = True
    bold_groups: bool = True
    sub_above: Line = "thin"
    sub_below: Line = "none"
    total_above: Line = "thin"
    total_below: Line = "double"
    head_below: Line = "thin"
    red_negatives: bool = True
    strands: bool = True
    """Whether the edges of rows and columns carry the strokes of their strands."""

    def inks(self, paper: Paper) -> Inks:
        """The inks of a form."""
        return self.light if paper == "light" else self.dark if paper == "dark" else greyed(self.light)


def luminance(colour: str) -> float:
    """Relative luminance of a colour, 0 to 1 (WCAG 2.1)."""
    parts = [int(colour[at : at + 2], 16) / 255 for at in (1, 3, 5)]
    red, green, blue = (part / 12.92 if part <= 0.04045 else ((part + 0.055) / 1.055) ** 2.4 for part in parts)
    return 0.2126 * red + 0.7152 * green + 0.0722 * blue


def contrast(one: str, other: str) -> float:
    """The contrast of two colours, 1 to 21 (WCAG 2.1)."""
    low, high = sorted((luminance(one), luminance(other)))
    return (high + 0.05) / (low + 0.05)


def grey_of(colour: str) -> str:
    """The grey that is as light as a colour."""
    if not colour:
        return ""
    light = luminance(colour)
    part = 12.92 * light if light <= 0.0031308 else 1.055 * light ** (1 / 2.4) - 0.055
    return f"#{round(part * 255):02X}" + f"{round(part * 255):02X}" * 2


@lru_cache(maxsize=64)
def _greyed(inks: bytes) -> Inks:
    read = from_json(inks, Inks)
    plain = {
        name: grey_of(getattr(read, name)) for name in Inks.__struct_fields__ if isinstance(getattr(read, name), str)
    }
    return msgspec.structs.replace(
        read, **plain, marks={name: (grey_of(ink), grey_of(ground)) for name, (ink, ground) in read.marks.items()}
    )


def greyed(inks: Inks) -> Inks:
    """Inks in black, white and greys, each as light as before, so that every contrast stays."""
    return _greyed(msgspec.json.encode(inks))


def blended(one: str, other: str, share: float) -> str:
    """The colour at a share of the straight way from one to another."""
    parts = [round(int(one[at : at + 2], 16) * (1 - share) + int(other[at : at + 2], 16) * share) for at in (1, 3, 5)]
    return "#" + "".join(f"{part:02X}" for part in parts)


_LIGHT_MARKS = {
    "ochre": ("#7A5208", "#F5E3BF"), "madder": ("#94392D", "#F6DDD8"), "indigo": ("#3F4E8C", "#DFE3F3"),
    "moss": ("#2C6441", "#D9EBDD"), "slate": ("#4A5962", "#E1E6EA"),
}  # fmt: skip
_DARK_MARKS = {
    "ochre": ("#E9BC62", "#4A3A18"), "madder": ("#F0A698", "#55302A"), "indigo": ("#AEBAF0", "#333B60"),
    "moss": ("#96D3AA", "#24422F"), "slate": ("#B8C7D1", "#39434B"),
}  # fmt: skip
_NIGHT = Inks("#23211E", "#F0EBE2", "#ABA294", "#7D7468", "#F0A698", _DARK_MARKS)

LEDGER = Style(
    "ledger", "Ledger",
    Inks("#FCFAF6", "#2A2622", "#736B5E", "#A9A08C", "#A5473A", _LIGHT_MARKS), _NIGHT,
)  # fmt: skip
LINEN = Style(
    "linen", "Linen",
    Inks("#FBF8F2", "#33302B", "#675F50", "#C9BDA4", "#94392D", _LIGHT_MARKS, band="#F4EEE2", head="#EDE4D3", subtotal="#F0E8D8", grand="#E6DAC3"),
    msgspec.structs.replace(_NIGHT, band="#292622", head="#332F29", subtotal="#2F2B26", grand="#3B362E"),
    sub_above="none", total_above="none", total_below="none", head_below="none", spacing=1.08, strands=False,
)  # fmt: skip
SLATE = Style(
    "slate", "Slate",
    Inks("#FFFFFF", "#20262B", "#5C676F", "#B8C2C9", "#9A3324", _LIGHT_MARKS, head="#E1E7EB", subtotal="#F1F4F6", grand="#D3DCE2"),
    Inks("#1B2126", "#E8EEF2", "#A3B1BB", "#5F6D76", "#F0A698", _DARK_MARKS, head="#2B353C", subtotal="#232B31", grand="#36434C"),
    total_above="thick", total_below="none", head_below="thick", strands=False,
)  # fmt: skip
NEWSPRINT = Style(
    "newsprint", "Newsprint",
    greyed(Inks("#FFFFFF", "#111111", "#4D4D4D", "#777777", "#111111", _LIGHT_MARKS)),
    greyed(Inks("#161616", "#F4F4F4", "#B5B5B5", "#8A8A8A", "#F4F4F4", _DARK_MARKS)),
    family="serif", total_above="thick", total_below="thick", head_below="double", red_negatives=False, strands=False,
)  # fmt: skip
PLAIN = Style(
    "plain", "Plain",
    Inks("#FFFFFF", "#1E1E1E", "#5F5F5F", "#C4C4C4", "#1E1E1E", _LIGHT_MARKS),
    Inks("#1E1E1E", "#EDEDED", "#ABABAB", "#666666", "#EDEDED", _DARK_MARKS),
    bold_groups=False, total_below="none", red_negatives=False, strands=False, spacing=0.94,
)  # fmt: skip
NIGHT = Style("night", "Night", _NIGHT, _NIGHT)

STYLES = {style.key: style for style in (LEDGER, LINEN, SLATE, NEWSPRINT, PLAIN, NIGHT)}
"""The program's own styles by key, in the order in which they are offered."""


def style_named(key: str, own: tuple[Style, ...] = ()) -> Style:
    """The style of a key, among a basket's `own` first; the ledger where there is none of that key."""
    return next((style for style in own if style.key == key), STYLES.get(key, LEDGER))
