"""The section of a measure's card that marks cells: what must hold, among which cells, and what becomes of them."""

from __future__ import annotations

import math
from collections.abc import Callable
from decimal import Decimal, InvalidOperation
from typing import Any

import msgspec
import numpy as np
from PyQt6.QtWidgets import QWidget

from foldbasket.baskets import edits
from foldbasket.baskets.basket import free_name
from foldbasket.baskets.placing import first_free, free_id
from foldbasket.desktop.card.handlist import HandList
from foldbasket.desktop.card.parameters import draw_parameters
from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.span import SpanDrawing
from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.part import Part
from foldbasket.folding.dress.conditions.ends import AmongTop
from foldbasket.folding.dress.conditions.thresholds import Above, AtLeast, AtMost, Below, InRange, Threshold
from foldbasket.folding.dress.dressed import Dressed
from foldbasket.folding.dress.forms.marks import Ground
from foldbasket.folding.filters.members import of_members
from foldbasket.folding.members.domain import OTHERS
from foldbasket.sentence.phrases import placed_heading
from foldbasket.spec.fold import Fold, Measure
from foldbasket.spec.look import Condition, Form, Highlight, Scope

replace: Callable[..., Highlight] = msgspec.structs.replace
BARS = 24


def highlights_section(desk: Desk, body: CardBody, measure: Measure) -> None:
    """Adds the section: a line for each highlight of the measure, and the one that is open in full."""
    fold, report = desk.fold, desk.report
    if fold is None or report is None or measure.id not in {each.id for each in report.measures}:
        return
    dressed = Dressed(report)
    own = [each for each in fold.look.highlights if each.measure == measure.id]
    body.section("Highlights", str(len(own)) if own else "none")
    shown = next((each for each in own if each.id == desk.view.highlight), own[-1] if own else None)
    if len(own) > 1:
        for each in own:
            if each is not shown:
                body.link(dressed.words(each), _opens(desk, each))
    if shown is not None:
        _highlight(desk, body, fold, shown, dressed)
    body.link("Add a highlight", lambda: add_highlight(desk, fold, measure.id))


def all_highlights_section(desk: Desk, body: CardBody, fold: Fold) -> None:
    """Adds, on the card of the report, the section with every highlight of it in their order."""
    highlights = fold.look.highlights
    if not highlights or desk.report is None:
        return
    dressed = Dressed(desk.report)
    said = [dressed.words(each) for each in highlights]
    body.section("Highlights", str(len(said)))

    def move(at: int, to: int | None) -> None:
        desk.do(edits.MoveHighlight(fold.key, highlights[at].id, to, said[at]))

    def opened(at: int) -> None:
        desk.view.highlight, desk.view.section = highlights[at].id, "Highlights"
        desk.select_word(highlights[at].measure)

    def hand(parent: QWidget) -> QWidget:
        listed = HandList(said, "Highlights", parent)
        listed.opened.connect(opened)
        listed.moved.connect(move)
        listed.gone.connect(lambda at: move(at, None))
        return listed

    body.widget(hand)
    body.text("Of two that mark a cell alike the lower wins. Drag one to its place; a double-click opens it.", "quiet")


def _opens(desk: Desk, highlight: Highlight) -> Callable[[], None]:
    def show() -> None:
        desk.view.highlight = highlight.id
        desk.notify(Part.WORD)

    return show


def add_highlight(desk: Desk, fold: Fold, measure: str) -> None:
    """A new highlight of a measure of the report in view, which begins with the upper quarter of the measure's own numbers, or the last of
    what are none; its card opens there."""
    assert desk.report is not None
    dressed = Dressed(desk.report)
    id = first_free("h", {each.id for each in fold.look.highlights})
    values = _values(dressed, measure)
    start = f"{_round(float(np.quantile(values, 0.75))):f}" if len(values) else "0"
    at = dressed.report.measure_at(measure)
    when = AtLeast(start) if at is not None and dressed.report.is_number(at) else AmongTop("1")
    made = Highlight(id, measure, when, Ground())
    desk.view.highlight, desk.view.section = id, "Highlights"
    desk.do(edits.PutHighlight(fold.key, made, f"Highlight {dressed.words(made)}"))


Become = Callable[..., None]


def _highlight(desk: Desk, body: CardBody, fold: Fold, now: Highlight, dressed: Dressed) -> None:
    """One highlight in full."""

    def become(done: str, **changes: Any) -> None:
        desk.do(edits.PutHighlight(fold.key, replace(now, **changes), done))

    body.text(dressed.words(now), "strong")
    _when(desk, body, fold, now, dressed, become)
    if type(now.when).compares or type(now.form).steps > 1 or type(now.form).bars:
        body.choice("Among", Scope.choices(), now.within, lambda within: become("Compare among other cells", within=within))  # fmt: skip
    on = (
        ("cells", "cells", "Cells of members."),
        ("totals", "totals too", "Totals as well, each among its like."),
        ("line", "whole lines", "The whole line of a cell for which it holds."),
    )
    chosen = "line" if now.line else "totals" if now.totals else "cells"
    body.chips(
        on, chosen, lambda value: become("Mark other cells", totals=value == "totals", line=value == "line"), "On",
        named=True,
    )  # fmt: skip
    _as(desk, body, fold, now, become)
    _keep_only(desk, body, fold, now, dressed.words(now))
    _make_picker(desk, body, fold, now, dressed)
    _order(desk, body, fold, now, dressed.words(now))


def _when(desk: Desk, body: CardBody, fold: Fold, now: Highlight, dressed: Dressed, become: Become) -> None:
    """What must hold, set on a drawing of the values, and how many cells it marks."""
    done = "Change when cells are marked"

    def condition(kind: type[Condition]) -> None:
        made: Any = kind
        value = getattr(now.when, "value", None)
        become(done, when=made(value) if value is not None and issubclass(kind, Threshold) else made())

    body.choice("When it is", [(kind, kind.label) for kind in Condition.kinds], type(now.when), condition)
    draw_parameters(body, desk, fold, now.when, lambda when: become(done, when=when), now.measure)
    values = _values(dressed, now.measure)
    _drawing(body, now, values, lambda when: become(done, when=when))
    lit = next((each for each in dressed.lit if each.highlight.id == now.id), None)
    for problem in dressed.problems:
        body.text(problem, "warning")
    if lit is not None:
        many, of = (int(lit.holds.any(axis=1).sum()), "lines") if now.line else (lit.count, f"of {len(values)} cells")
        body.text(f"{many} {of} {'are' if many != 1 else 'is'} marked.", "quiet")


def _as(desk: Desk, body: CardBody, fold: Fold, now: Highlight, become: Become) -> None:
    """What becomes of the cells."""

    def form(kind: type[Form]) -> None:
        made: Any = kind
        colour = getattr(now.form, "colour", None)
        has = "colour" in made.__struct_fields__
        become(f"Mark by {kind.label}", form=made(colour=colour) if has and colour is not None else made())

    offered = [(kind, kind.label, (kind.__doc__ or "").strip()) for kind in Form.kinds]
    body.chips(offered, type(now.form), form, "As", named=True)
    draw_parameters(body, desk, fold, now.form, lambda new: become("Change how cells are marked", form=new), now.measure)  # fmt: skip


def _keep_only(desk: Desk, body: CardBody, fold: Fold, now: Highlight, said: str) -> None:
    """Makes a picking of it: of the innermost field, which a report has lines of."""
    keep = now.when.keep(now.measure)
    placed = (*fold.rows, *fold.columns)
    if keep is None or not placed:
        return
    word = fold.rows[-1] if fold.rows else fold.columns[-1]
    name = placed_heading(word)

    def make() -> None:
        desk.words.change(word.id, f"Keep only each {name} with {said}", keep=keep)

    body.link(
        "Make a filter of it",
        make,
        f"Shows only members of {name} whose own total has {said}. The card of {name} says what becomes of the rest.",
    )


def _make_picker(desk: Desk, body: CardBody, fold: Fold, now: Highlight, dressed: Dressed) -> None:
    """Offers the marked members of the innermost field beside the report."""
    on_rows = bool(fold.rows)
    placed = fold.rows or fold.columns
    lit = next((each for each in dressed.lit if each.highlight.id == now.id), None)
    if lit is None or not placed or placed[-1].bands is not None or placed[-1].groups is not None:
        return
    word, axis = placed[-1], dressed.report.rows if on_rows else dressed.report.columns
    marked = lit.holds.any(axis=1 if on_rows else 0) & (axis.level == len(placed))
    tokens = dict.fromkeys(axis.token(int(line), len(placed) - 1) for line in np.flatnonzero(marked))
    tokens.pop(OTHERS, None)
    if not tokens:
        return
    name = placed_heading(word)

    def make() -> None:
        taken = {rule.picker for each in desk.basket.folds for rule in each.filters}
        rule = of_members(free_id(fold), word.field, word.part, tuple(tokens)).as_word(
            free_id(fold), free_name(name, taken)
        )
        desk.do(edits.Place(fold.key, "filters", rule, name))

    body.link(
        "Make a picker of it",
        make,
        f"Offers {name} beside the report, with what is marked now ticked: {len(tokens):,} of its members.",
    )


def _order(desk: Desk, body: CardBody, fold: Fold, now: Highlight, said: str) -> None:
    """Its place among the highlights, of which the later wins."""
    at, many = [each.id for each in fold.look.highlights].index(now.id), len(fold.look.highlights)
    if many > 1:
        body.text("Of two that mark a cell alike the later wins.", "quiet")
    if at:
        body.link("Judge it earlier", lambda: desk.do(edits.MoveHighlight(fold.key, now.id, at - 1, said)))
    if at + 1 < many:
        body.link("Judge it later", lambda: desk.do(edits.MoveHighlight(fold.key, now.id, at + 1, said)))
    body.link("Take this highlight out", lambda: desk.do(edits.MoveHighlight(fold.key, now.id, None, said)))


def _drawing(body: CardBody, now: Highlight, values: np.ndarray, become: Callable[[Condition], None]) -> None:
    """The measure's values as bars, with the ends of what is marked to drag."""
    when = now.when
    if len(values) < 2 or not isinstance(when, (AtLeast, AtMost, Above, Below, InRange)):
        return
    low, high = float(values.min()), float(values.max())
    if not low < high or not math.isfinite(high - low):
        return
    try:
        if isinstance(when, InRange):
            kept: tuple[Decimal | None, Decimal | None] = (Decimal(when.low), Decimal(when.high))
        elif isinstance(when, (AtLeast, Above)):
            kept = (Decimal(when.value), None)
        else:
            kept = (None, Decimal(when.value))
    except InvalidOperation:
        return

    def chosen(start: Decimal | None, stop: Decimal | None) -> None:
        if isinstance(when, InRange):
            become(
                InRange(
                    f"{start if start is not None else _round(low):f}",
                    f"{stop if stop is not None else _round(high):f}",
                )
            )
        else:
            value = start if isinstance(when, (AtLeast, Above)) else stop
            end = _round(low) if isinstance(when, (AtLeast, Above)) else _round(high)
            become(type(when)(f"{value if value is not None else end:f}"))

    def drawing(parent: QWidget) -> QWidget:
        counts, _ = np.histogram(values, BARS, (low, high))
        bars = tuple((counts / counts.max()).tolist())
        whole = bool((values == np.round(values)).all())
        return SpanDrawing(bars, (low, high), kept, whole, chosen, parent)

    body.widget(drawing)


def _values(dressed: Dressed, measure: str) -> np.ndarray:
    """The values of a measure's cells of members, without those beyond all numbers."""
    from foldbasket.folding.dress.judged import Cells

    report = dressed.report
    at = report.measure_at(measure)
    assert at is not None
    cells = Cells(report.blocks[at], report.rows, report.columns)
    values = cells.floats[cells.known] if report.is_number(at) else np.zeros(0)
    return values[np.isfinite(values)]


def _round(value: float) -> Decimal:
    """A value to two digits, as somebody would type it."""
    number = Decimal(repr(value))
    if not number.is_finite() or not number:
        return Decimal(0)
    return Decimal(round(number, -(number.adjusted() - 1)))
