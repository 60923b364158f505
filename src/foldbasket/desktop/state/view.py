"""What is in view: a fold or a source, the selected word, and what is being written. No widget, no document."""

from __future__ import annotations

from foldbasket.baskets.basket import Basket
from foldbasket.desktop.state.part import Part
from foldbasket.spec.fold import Fold


class View:
    """The state that is neither saved nor undone. Every method says which parts it changed."""

    def __init__(self) -> None:
        self.fold_key: str | None = None
        self.source_key: str | None = None
        """The source in view; None while a fold is."""
        self.last_source: str | None = None
        self.field: str | None = None
        self.word: str | None = None
        self.alternative = 0
        """Which alternative of a filter its card shows."""
        self.drafted: str | None = None
        """The formula that is being written on the card of a new one; None where none is."""
        self.drafted_name = ""
        self.section: str | None = None
        """The section that the next card is to open; it is opened once."""
        self.looked: str | None = None
        """The member whose look the card of its field shows; None for all of them."""
        self.line: str | None = None
        """The kind of line whose look the card of the report shows."""
        self.level: int | None = None
        """The level at which it does; None for every one."""
        self.paged = False
        """Whether the fold is shown as pages."""
        self.reading = False
        """Whether report, chart and pickers are shown alone."""
        self.only_reads = False
        """Whether it was opened to be read: what is picked then is not kept."""
        self.charted = False
        """Whether the card of the chart is shown."""
        self.highlight: str | None = None
        """The highlight that is open on the card of its measure."""

    def show_source(self, key: str, field: str | None) -> Part:
        """Brings a source into view, with one of its fields chosen or none."""
        self.source_key, self.field, self.last_source = key, field, key
        return Part.VIEW

    def show_fold(self, key: str | None) -> Part:
        """Brings a fold into view."""
        parts = Part.NOTHING
        if self.source_key is not None:
            self.source_key, parts = None, Part.VIEW
        if key != self.fold_key:
            self.fold_key, self.word, self.charted = key, None, False
            parts |= Part.FOLD | Part.WORD
        return parts

    def select_word(self, word: str | None, fold: Fold | None) -> Part:
        """Selects a word of the fold in view; None, or one that the fold does not have, as of a picture of it that is a moment old,
        selects the whole."""
        self.word, self.alternative, self.drafted, self.charted = _known(word, fold), 0, None, False
        return Part.WORD

    def show_pages(self, shown: bool) -> Part:
        """Shows the fold as pages, or as a grid again."""
        parts = Part.VIEW | Part.WORD
        self.paged, self.source_key, self.word = shown, None, None
        return parts

    def read(self, on: bool) -> Part:
        """Shows report, chart and pickers alone, or everything again."""
        self.reading, self.paged, self.source_key, self.word = on, False, None, None
        self.only_reads = self.only_reads and on
        return Part.VIEW | Part.WORD

    def show_chart(self) -> Part:
        """Shows the card of the chart."""
        self.word, self.drafted, self.charted = None, None, True
        return Part.WORD

    def calculate(self, text: str | None) -> Part:
        """Begins a formula with a text; None leaves it."""
        self.drafted, self.drafted_name = text, ""
        if text is not None:
            self.word = None
        return Part.WORD

    def keep_draft(self, text: str, name: str) -> None:
        """Keeps what is being written on the card of a new formula."""
        if self.drafted is not None:
            self.drafted, self.drafted_name = text, name

    def show_alternative(self, at: int) -> Part:
        """Shows another of a filter's alternatives on its card."""
        self.alternative = at
        return Part.WORD

    def begin(self, basket: Basket) -> Part:
        """Another document: its first fold comes into view."""
        self.source_key = self.field = self.last_source = self.word = None
        self.fold_key = basket.folds[0].key if basket.folds else None
        return Part.VIEW | Part.FOLD | Part.WORD

    def follow(self, before: Basket, now: Basket) -> Part:
        """Keeps in view what the document still has: in place of a fold that went the one before it, of a source that went the fold."""
        parts = Part.NOTHING
        was, keys = ([fold.key for fold in basket.folds] for basket in (before, now))
        if self.fold_key not in keys:
            at = was.index(self.fold_key) if self.fold_key in was else len(keys)
            self.fold_key = keys[min(max(0, at - 1), len(keys) - 1)] if keys else None
            parts |= Part.FOLD
        fold = next((fold for fold in now.folds if fold.key == self.fold_key), None)
        if _known(self.word, fold) != self.word:
            self.word = None
            parts |= Part.WORD
        sources = {source.key for source in now.sources}
        if self.last_source not in sources:
            self.last_source = None
        if self.source_key is not None and self.source_key not in sources:
            self.source_key = None
            parts |= Part.VIEW
        return parts


def _known(word: str | None, fold: Fold | None) -> str | None:
    return word if fold is not None and word in {each.id for each in fold.words()} else None
