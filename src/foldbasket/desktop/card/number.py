"""The section of a measure's card on how its numbers are written: common forms shown with this report's own numbers."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import msgspec
import numpy as np

from foldbasket.desktop.card.parts import CardBody
from foldbasket.desktop.card.pattern import own_pattern
from foldbasket.desktop.desk import Desk
from foldbasket.errors import PatternError
from foldbasket.folding.report.report import Report, default_pattern
from foldbasket.spec.fold import Measure
from foldbasket.styling.numbers import NumberStyle, check_pattern, number_writer, with_decimals

replace: Callable[..., NumberStyle] = msgspec.structs.replace
FORMS = (
    NumberStyle(), NumberStyle("#,##0"), NumberStyle("#,##0.0"), NumberStyle("#,##0.00"), NumberStyle("¤#,##0"),
    NumberStyle("¤#,##0.00"), NumberStyle("#,##0", scale="thousand"), NumberStyle("#,##0.0", scale="million"),
    NumberStyle("0%"), NumberStyle("0.0%"), NumberStyle("0.00E0"),
)  # fmt: skip
"""The common forms, the commonest first: pattern and scale."""
CURRENCIES = ("EUR", "USD", "GBP", "CHF", "SEK", "PLN", "CZK", "JPY")


def forms_of(report: Report) -> list[tuple[NumberStyle, str]]:
    """The common forms that a look may say, with what each makes of a number of the report's first measure of numbers."""
    at = next(at for at in range(len(report.measures)) if report.is_number(at))
    sample = _Sample(report, at)
    return [(form, sample.in_form(form)) for form in FORMS if form.pattern is not None]


def number_section(desk: Desk, body: CardBody, measure: Measure) -> None:
    """Adds the section."""
    report = desk.report
    at = report.measure_at(measure.id) if report is not None else None
    if report is None or at is None or not report.is_number(at):
        return
    style = measure.number
    sample = _Sample(report, at)
    body.section("Number", sample.in_form(style))

    def restyle(done: str, **changes: Any) -> None:
        desk.words.change(measure.id, done, number=replace(style, **changes))

    forms = [(_form(each), sample.said(replace(style, **_form_of(each)))) for each in FORMS]
    if _form(style) not in [form for form, _ in forms]:
        forms.append((_form(style), sample.said(style)))
    body.choice(
        "Form", forms, _form(style), lambda form: restyle("Change the form of numbers", pattern=form[0], scale=form[1])
    )

    def step(by: int) -> None:
        pattern = with_decimals(style.pattern or default_pattern(report.blocks[at]), by)
        restyle("Change the decimals", pattern=pattern)

    body.chips(
        ((-1, "one fewer", "One decimal fewer."), (1, "one more", "One decimal more.")),
        None,
        step,
        "Decimals",
        named=True,
    )
    negatives = ((("minus", None), "with a sign"), (("parentheses", None), "in brackets"), (("minus", True), "sign, in red ink"),
                 (("parentheses", True), "brackets, in red ink"), (("minus", False), "sign, in plain ink"),
                 (("parentheses", False), "brackets, in plain ink"))  # fmt: skip
    body.choice(
        "Negatives", negatives, (style.negatives, style.red),
        lambda value: restyle("Change how negatives look", negatives=value[0], red=value[1]),
    )  # fmt: skip
    if "¤" in (style.pattern or ""):
        offered = [(None, f"the basket's, {desk.basket.currency}"), *((each, each) for each in CURRENCIES)]
        body.choice("Currency", offered, style.currency, lambda value: restyle("Change the currency", currency=value))
    zeros = ((None, "as a number"), ("–", "–"), ("", "nothing"), ("nil", "nil"))
    body.choice("Zero", zeros, style.zero, lambda value: restyle("Change how zero is written", zero=value))
    own_pattern(
        body, style.pattern or "", "#,##0.0", check_pattern, lambda text: sample.said(replace(style, pattern=text)),
        lambda text: restyle("Change the number pattern", pattern=text or None),
    )  # fmt: skip


def _form(style: NumberStyle) -> tuple[str | None, str]:
    return style.pattern, style.scale


def _form_of(style: NumberStyle) -> dict[str, Any]:
    return {"pattern": style.pattern, "scale": style.scale}


class _Sample:
    """Some of a measure's own numbers, to show what a form makes of them: a large one, and a negative one where there is any."""

    def __init__(self, report: Report, measure: int) -> None:
        self._report, self._block = report, report.blocks[measure]
        known = self._block.data[~self._block.blank]
        ordered = (
            np.sort(known)
            if len(known) and known.dtype != object
            else np.sort(known.astype(float))
            if len(known)
            else known
        )
        self._values = [ordered[len(ordered) // 2]] if len(ordered) else [0]
        if len(ordered) and ordered[0] < 0:
            self._values.append(ordered[0])

    def said(self, style: NumberStyle) -> str:
        """The numbers in a form."""
        try:
            writer = number_writer(style, default_pattern(self._block), self._report.locale, self._report.currency)
        except PatternError:
            return str(style.pattern)
        real = self._block.type.value == "real number"
        unit = {"one": "", "thousand": ", in thousands", "million": ", in millions"}[style.scale]
        return " · ".join(writer.of(value, self._block.scale, real=real) for value in self._values) + unit

    def in_form(self, style: NumberStyle) -> str:
        """The first of the numbers in a form: how the section stands."""
        return self.said(style).split(" · ")[0]
