"""Edits of the chart of a fold and of its pages. They change no number."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.edits.edit import Edit
from foldbasket.spec.chart import Chart


@dataclass(frozen=True)
class ChangeChart(Edit):
    """Gives a fold a chart, another one, or none."""

    fold: str
    chart: Chart | None
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(self.fold, lambda fold: msgspec.structs.replace(fold, chart=self.chart))


@dataclass(frozen=True)
class ChangePage(Edit):
    """Changes how a fold stands on paper."""

    fold: str
    changes: Mapping[str, Any]
    done: str

    def label(self, basket: Basket) -> str:
        return self.done

    def apply(self, basket: Basket) -> Basket:
        return basket.with_fold(
            self.fold,
            lambda fold: msgspec.structs.replace(fold, page=msgspec.structs.replace(fold.page, **self.changes)),
        )
