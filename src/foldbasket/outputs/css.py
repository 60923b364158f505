"""Styles of a dressed report as CSS."""

from __future__ import annotations

from foldbasket.folding.dress.dressed import CellStyle, Dressed
from foldbasket.spec.look import Rule, Side
from foldbasket.styling.styles import Style

RULES = {Rule.NONE: "", Rule.THIN: "1px solid", Rule.THICK: "2px solid", Rule.DOUBLE: "3px double"}
SIDES = {Side.LEFT: "left", Side.MIDDLE: "center", Side.RIGHT: "right"}


def css(style: CellStyle) -> str:
    """The declarations of a cell's style."""
    said = [f"color:{style.ink}", f"text-align:{SIDES[style.side]}"]
    if style.ground:
        said.append(f"background:{style.ground}")
    if style.bold:
        said.append("font-weight:600")
    if style.italic:
        said.append("font-style:italic")
    if style.above is not Rule.NONE:
        said.append(f"border-top:{RULES[style.above]} {style.rule_ink}")
    if style.below is not Rule.NONE:
        said.append(f"border-bottom:{RULES[style.below]} {style.rule_ink}")
    if style.edge:
        said.append(f"box-shadow:inset 3px 0 {style.edge}")
    return ";".join(said)


def bar(ink: str, length: float) -> str:
    """A bar behind a cell's text, as long as a share of its width; one to the left of nothing is hatched."""
    wide = round(100 * min(1.0, abs(length)), 1)
    if length < 0:
        fill = f"repeating-linear-gradient(45deg,{ink} 0 2px,transparent 2px 5px)"
    else:
        fill = f"linear-gradient({ink},{ink})"
    return f"background-image:{fill};background-size:{wide}% 70%;background-repeat:no-repeat;background-position:left center"


def family(style: Style) -> str:
    """The face of a style, and what stands in for it."""
    return f"{style.family or 'Inter'},{'serif' if style.family == 'serif' else 'sans-serif'}"


def paper(dressed: Dressed) -> str:
    """The declarations of what a report stands on."""
    return f"background:{dressed.inks.paper};color:{dressed.inks.ink};font-family:{family(dressed.style)}"
