"""Filters that keep the records of members as a report names them; made for proofs, never written to a basket."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldError
from foldbasket.folding.filters.either import Either
from foldbasket.folding.filters.onefield import RecordFilter
from foldbasket.folding.lines.axis import Axis
from foldbasket.folding.members.domain import Domain
from foldbasket.spec.cut import Cut
from foldbasket.spec.fold import Placed
from foldbasket.spec.order import Rest
from foldbasket.tables.distinct import distinct, distinct_rows, numbered_rows

MOST_PARENTS = 2_000
"""Of a report that shows members under more parents it is not worked out which records they stand for."""


class Within(RecordFilter, frozen=True, tag="within"):
    """Records of some members of a placed field, by their tokens; or of all others."""

    cut: Cut | None = None
    tokens: tuple[str, ...] = ()
    exclude: bool = False

    def keeps_codes(self, domain: Domain) -> npt.NDArray[np.bool_]:
        listed = np.array([domain.token(code) in self.tokens for code in range(domain.size)], np.bool_)
        return ~listed if self.exclude else listed

    @property
    def way(self) -> Cut | None:
        return self.cut

    def condition(self, label: Callable[[str], str]) -> str:
        return ("not " if self.exclude else "") + ", ".join(self.tokens)


def of_line(axis: Axis, line: int, words: Sequence[Placed]) -> list[Within]:
    """A filter for each member that a line names; for gathered ones, all but those that stand beside them."""
    return of_codes(axis, [int(code) for code in axis.codes[line] if code >= 0], words)


def of_codes(axis: Axis, codes: Sequence[int], words: Sequence[Placed]) -> list[Within]:
    """The same for the line of an axis that some codes name."""
    found = []
    for field, (word, code) in enumerate(zip(words, codes, strict=False)):
        domain = axis.heads[field].domain
        if code == domain.others:
            outer = np.array(codes[:field], np.int64)
            beside = (axis.codes[:, :field] == outer).all(axis=1) & (axis.codes[:, field] >= 0)
            shown = distinct(axis.codes[beside, field])
            tokens = tuple(domain.token(int(each)) for each in shown if each != domain.others)
            found.append(Within(f"within {field}", word.field, None, cut=word.cut, tokens=tokens, exclude=True))
            break
        found.append(Within(f"within {word.id}", word.field, None, cut=word.cut, tokens=(domain.token(code),)))
    return found


def only_shown(axis: Axis, codes: npt.NDArray[np.int32], words: Sequence[Placed]) -> list[Any]:
    """Filters that keep, of the members beneath those that some codes name (-1 for none), only what an axis shows, where members are left out for good.
    The axis has nothing folded up. Raises FoldError where there are too many parents."""
    leaving = [field for field, word in enumerate(words) if word.keep is not None and word.keep.rest is Rest.GONE]
    if not leaving:
        return []
    named = codes >= 0
    beneath = (axis.codes[:, named] == codes[named]).all(axis=1) & (axis.level == axis.depth)
    paths = distinct_rows(axis.codes[beneath])
    found: list[Any] = []
    for field in range(int(named.sum()), max(leaving) + 1):
        parents, place = numbered_rows(paths[:, :field])
        if len(parents) > MOST_PARENTS:
            raise FoldError("totals over what is shown of so many groups are not worked out again.")
        for at, parent in enumerate(parents):
            children = distinct(paths[place == at, field])
            if (
                axis.heads[field].domain.others in children
                or (parent == axis.heads[max(0, field - 1)].domain.others).any()
            ):
                continue  # what is not shown by itself stands in the line that gathers it
            shown = Within(
                f"shown {field}", words[field].field, None, cut=words[field].cut, tokens=_tokens(axis, field, children)
            )
            elsewhere = [
                Within(
                    f"but {each}",
                    words[each].field,
                    None,
                    cut=words[each].cut,
                    tokens=_tokens(axis, each, [code]),
                    exclude=True,
                )
                for each, code in enumerate(parent.tolist())
            ]
            found.append(Either(f"shown {field}.{at}", (*elsewhere, shown)) if elsewhere else shown)
    return found


def _tokens(axis: Axis, field: int, codes: Any) -> tuple[str, ...]:
    return tuple(axis.heads[field].domain.token(int(code)) for code in codes)
