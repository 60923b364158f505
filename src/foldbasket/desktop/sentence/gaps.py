"""Reads what is typed into the list of a +, beside the fields that it offers: “avg net”, “top 10 site”, “last quarter”. On a worker."""

from __future__ import annotations

import contextlib
from typing import Any

from PyQt6.QtCore import QObject

from foldbasket.desktop.desk import Desk
from foldbasket.desktop.state.workers import Worker
from foldbasket.desktop.widgets.finder import Choice, Finder
from foldbasket.sentence.gap import words_in_gap
from foldbasket.sentence.vocabulary import Vocabulary
from foldbasket.spec.fold import Fold

LEAST = 3
"""So many letters are needed before anything is read."""


class Gaps:
    """The reading of one finder at a time."""

    def __init__(self, desk: Desk, parent: QObject) -> None:
        self.desk = desk
        self._worker = Worker("gap", parent)
        self._worker.finished.connect(self._came)
        desk.add_work(self._worker)
        self._finder: Finder | None = None

    def read_for(self, finder: Finder, strand: str) -> None:
        """Has what is typed into a finder read as words of a strand."""
        self._finder = finder
        words: list[Vocabulary] = []  # made with the first text that is read

        def typed(text: str) -> None:
            fold, source, locale = self.desk.fold or Fold(""), self.desk.source, self.desk.basket.locale
            if len(text.strip()) < LEAST:
                return

            def work(_: Any) -> tuple[str, list[Choice]]:  # which holds no widget: a worker must not be the last to
                if not words:
                    words.append(Vocabulary(source, fold, locale))
                found = words_in_gap(text, strand, fold, words[0])
                return text, [Choice(said, "as typed", (word, said)) for word, said in found]

            self._worker.start(work)

        finder.typed.connect(typed)

    def _came(self, came: tuple[str, list[Choice]]) -> None:
        text, choices = came
        finder = self._finder
        if finder is None or not choices:
            return
        with contextlib.suppress(RuntimeError):  # it was closed
            known = {each.text for each in finder.choices}
            finder.offer_also(text, [each for each in choices if each.text not in known])
