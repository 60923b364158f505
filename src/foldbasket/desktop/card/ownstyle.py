"""A style of one's own: made from the one that the report wears, changed with the report as its sample, kept for other baskets."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import partial
from typing import Any

import msgspec
from PyQt6.QtGui import QFontDatabase

from foldbasket.baskets import edits
from foldbasket.baskets.placing import first_free
from foldbasket.desktop import memory
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.desk import Desk
from foldbasket.spec.fold import Fold
from foldbasket.spec.look import Rule
from foldbasket.styling.styles import STYLES, Inks, Style, contrast

LEAST_CONTRAST = 4.5
SIZES = tuple((float(size), f"{size} points") for size in (10, 11, 12, 13, 14, 16, 18, 20))
SPACINGS = (
    (0.85, "narrow"),
    (0.94, "rather narrow"),
    (1.0, "usual"),
    (1.08, "rather wide"),
    (1.2, "wide"),
    (1.4, "very wide"),
)
INKS = (("paper", "Paper"), ("ink", "Ink"), ("muted", "Quiet ink"), ("rule", "Rules"), ("accent", "Negatives"), ("head", "Behind headings"),
        ("subtotal", "Behind subtotals"), ("grand", "Behind the grand total"))  # fmt: skip


def make_own(desk: Desk, fold: Fold, style: Style) -> None:
    """Adds a copy of a style to the basket's own, and has the report wear it; one step."""
    taken = {each.key for each in (*STYLES.values(), *desk.basket.styles)}
    made = msgspec.structs.replace(style, key=first_free("own", taken), label=f"{style.label}, my own")
    put(desk, fold, made, f"A style of my own, from {style.label}")


def put(desk: Desk, fold: Fold, style: Style, done: str) -> None:
    """Puts a style among the basket's own, in place of the one of its key, and has the report wear it; one step."""
    others = tuple(each for each in desk.basket.styles if each.key != style.key)
    folds = tuple(
        msgspec.structs.replace(each, look=msgspec.structs.replace(each.look, style=style.key))
        if each.key == fold.key
        else each
        for each in desk.basket.folds
    )
    desk.do(edits.ChangeBasket({"styles": (*others, style), "folds": folds}, done))


def own_style(desk: Desk, body: CardBody, fold: Fold, style: Style) -> None:
    """Adds what can be changed on a style of the basket's own."""

    def become(**changes: Any) -> None:
        put(desk, fold, msgspec.structs.replace(style, **changes), f"Change the style {style.label}")

    body.entry("Called", style.label, "its name", lambda text: become(label=text.strip() or style.label))
    families = sorted(set(QFontDatabase.families()))
    faces = [("", "the program's own"), ("serif", "a serif"), *((each, each) for each in families[:200])]
    body.choice("Face", faces, style.family, lambda value: become(family=value))
    body.choice("Size", _with(SIZES, style.size), style.size, lambda value: become(size=value))
    body.choice("Lines", _with(SPACINGS, style.spacing), style.spacing, lambda value: become(spacing=value))
    for label, name in (
        ("Over subtotals", "sub_above"),
        ("Over the grand total", "total_above"),
        ("Under it", "total_below"),
        ("Under headings", "head_below"),
    ):
        body.choice(label, Rule.choices(), getattr(style, name), partial(_set, become, name))
    body.choice(
        "Totals", ((True, "bold"), (False, "plain")), style.bold_totals, lambda value: become(bold_totals=value)
    )
    body.choice(
        "Negatives",
        ((True, "in the accent"), (False, "in plain ink")),
        style.red_negatives,
        lambda value: become(red_negatives=value),
    )
    for name, label in INKS:
        body.entry(label, getattr(style.light, name), "none", _ink(desk, style, name, become))
    for fault in faults_of(style.light):
        body.text(fault, "warning")
    if style.key in {each.key for each in memory.styles()}:
        body.link("Forget it for other baskets", partial(memory.forget_style, style.key))
    else:
        body.link("Keep it for other baskets", partial(_keep, desk, style))


def _keep(desk: Desk, style: Style) -> None:
    memory.keep_style(style)
    desk.news.emit(f"{style.label} can be taken in every basket.")


def _set(become: Callable[..., None], name: str, value: object) -> None:
    become(**{name: str(value)})


def _ink(desk: Desk, style: Style, name: str, become: Callable[..., None]) -> Callable[[str], None]:
    def typed(text: str) -> None:
        said = text.strip().upper()
        if said and not said.startswith("#"):
            said = f"#{said}"
        if said and not re.fullmatch(r"#[0-9A-F]{6}", said):
            desk.sources.complain(f"“{text}” is not a colour.", "Write it like #2A2622.")
        elif said or name in ("head", "subtotal", "grand"):
            become(light=msgspec.structs.replace(style.light, **{name: said}))

    return typed


def faults_of(inks: Inks) -> list[str]:
    """What cannot be read well in a set of inks, in words."""
    grounds = {"paper": inks.paper, "headings": inks.head, "subtotals": inks.subtotal, "the grand total": inks.grand}
    return [
        f"The ink on the ground of {name} has a contrast of {contrast(inks.ink, ground):.1f}; {LEAST_CONTRAST} are wanted."
        for name, ground in grounds.items()
        if ground and contrast(inks.ink, ground) < LEAST_CONTRAST
    ]


def _with(choices: tuple[tuple[float, str], ...], now: float) -> list[tuple[float, str]]:
    return [*choices] if now in [value for value, _ in choices] else [*choices, (now, f"{now:g}")]
