"""Colours of series, apart in lightness as well as in hue, so that eyes that tell few hues apart tell them apart, too."""

from __future__ import annotations

from foldbasket.styling.styles import Inks, Paper, blended, luminance

_LIGHT = ("#3F4E8C", "#D08A2E", "#8C2F3C", "#4FA39A", "#2B2F33", "#AFA0E9", "#C9A977", "#815B14")
_DARK = ("#AEBAF0", "#C98A2E", "#F0A698", "#3E8F85", "#EDE7DB", "#7149A5", "#A2292E", "#455A7A")
_GREY = ("#1C1C1C", "#8A8A8A", "#4D4D4D", "#BDBDBD", "#333333", "#A3A3A3", "#666666", "#D0D0D0")
HATCHES = ("", "////", "....", "\\\\\\\\", "xxxx", "----", "oooo", "++++")
"""What fills areas where there is no colour."""
DASHES = ((), (5, 2), (1.5, 1.5), (7, 2, 1.5, 2), (3, 1), (9, 3), (1, 3), (5, 1, 1, 1))
"""How lines are broken, so that they are told apart without colour."""


def series_inks(paper: Paper) -> tuple[str, ...]:
    """The colours of series in a form of a style."""
    return {"light": _LIGHT, "dark": _DARK, "grey": _GREY}[paper]


def others_ink(inks: Inks) -> str:
    """The colour of what was gathered: quieter than any member."""
    return blended(inks.muted, inks.paper, 0.45)


def on_ink(ground: str) -> str:
    """An ink that is read on a ground."""
    return "#FFFFFF" if luminance(ground) < 0.32 else "#1C1A17"
