"""A line for a pattern of one's own, with what it gives as one types and its fault under it."""

from __future__ import annotations

from collections.abc import Callable

from foldbasket.desktop.card.parts import CardBody
from foldbasket.errors import PatternError


def own_pattern(
    body: CardBody,
    now: str,
    hint: str,
    check: Callable[[str], object],
    said: Callable[[str], str],
    become: Callable[[str], object],
) -> None:
    """Adds the line. `check` raises PatternError, `said` gives what a sound pattern makes of a sample, `become` takes a sound one or
    nothing."""

    def fault(text: str) -> str:
        try:
            if text.strip():
                check(text)
        except PatternError as error:
            return str(error)
        return ""

    def own(text: str) -> None:
        if not fault(text):  # else it is said beneath the line
            become(text.strip())

    def draw() -> None:
        line, shown = body.made_entry("Your own", now, hint, own), body.made_text("", "quiet")
        shown.hide()

        def judged(text: str) -> None:
            wrong = fault(text)
            line.setProperty("wrong", "true" if wrong else "false")
            line.style().polish(line)
            shown.setText(wrong or (said(text) if text.strip() else ""))
            shown.setProperty("role", "warning" if wrong else "quiet")
            shown.style().polish(shown)
            shown.setVisible(bool(shown.text()))

        line.textEdited.connect(judged)

    body.piece(draw)
