"""One value in several spellings: by case, space, accent or sign, or by a likely slip of the finger."""

from __future__ import annotations

import unicodedata
from collections import defaultdict
from collections.abc import Iterator, Sequence

import numpy as np
import numpy.typing as npt

from foldbasket.tables.column import CodedColumn, DeferredColumn, weights_of
from foldbasket.tables.findings.finding import Finding, Offer, finder, records_of
from foldbasket.tables.mending.mend import listed
from foldbasket.tables.mending.texts import TrimSpaces, Unify, folded_spaces
from foldbasket.tables.nature import Nature, nature_of
from foldbasket.tables.table import Table
from foldbasket.tables.types import FieldType
from foldbasket.turns import give_way

MOST_MEMBERS = 20_000
MOST_FOR_SLIPS = 3_000
SHORTEST = 5
"""Letters that a value has at least for a slip to be told from another value."""
LONGEST = 80
"""Longer texts are notes and no names; each has as many variants as letters."""
RARE = 0.05
"""A slip is at most this share of the records of what was meant."""


@finder("spellings", 30, by_member=True)
def find(table: Table) -> Iterator[Finding]:
    """All of this file's findings in a table."""
    for column in table.columns.values():
        if column.type is not FieldType.TEXT or isinstance(column, DeferredColumn):
            continue
        coded = column.coded()
        if not 0 < len(coded.dictionary) <= MOST_MEMBERS:
            continue
        weights = weights_of(coded)
        texts = coded.dictionary.texts
        groups = _alike(texts, weights)
        if nature_of(column) is not Nature.IDENTIFIER:
            groups = _with_slips(texts, weights, groups)
        for group in groups:
            if len(group) > 1:
                yield _spelled(coded, weights, texts, group)
        yield from _spaced(coded, weights, {at for group in groups if len(group) > 1 for at in group})


def plain(text: str) -> str:
    """A text without what people mean to be the same: case, accents, spaces and signs."""
    bare = text.lower() if text.isascii() else unicodedata.normalize("NFKD", text.casefold())
    if bare.isalnum():
        return bare
    kept = "".join(sign for sign in bare if sign.isalnum())
    return kept or " ".join(text.split())


def _alike(texts: Sequence[str], weights: npt.NDArray[np.int64]) -> list[list[int]]:
    groups: dict[str, list[int]] = defaultdict(list)
    for at, text in enumerate(texts):
        give_way()
        if weights[at]:
            groups[plain(text)].append(at)
    return list(groups.values())


def _with_slips(texts: Sequence[str], weights: npt.NDArray[np.int64], groups: list[list[int]]) -> list[list[int]]:
    """Groups joined where a rare value is one slip (a letter too many, too few, wrong, or two swapped) from a common one."""
    if len(groups) > MOST_FOR_SLIPS:
        return groups
    keys = [plain(texts[group[0]]) for group in groups]
    counts = [int(weights[group].sum()) for group in groups]
    shortened: dict[str, list[int]] = defaultdict(list)
    for at, key in enumerate(keys):
        give_way()
        if SHORTEST <= len(key) <= LONGEST and not any(sign.isdigit() for sign in key):
            for variant in {key, *(key[:cut] + key[cut + 1 :] for cut in range(len(key)))}:
                shortened[variant].append(at)
    meant: dict[int, int] = {}
    for near in shortened.values():
        if len(near) < 2:
            continue
        common = max(near, key=lambda at: counts[at])
        for rare in near:
            seldom = counts[rare] <= max(1, RARE * counts[common]) and counts[common] >= 10
            if rare != common and seldom and one_slip(keys[rare], keys[common]):
                meant[rare] = common
    joined = [group if at not in meant else [] for at, group in enumerate(groups)]
    for rare, common in meant.items():
        if common not in meant:
            joined[common] = joined[common] + groups[rare]
        else:
            joined[rare] = groups[rare]
    return joined


def one_slip(one: str, other: str) -> bool:
    """Whether two texts differ by one letter added, left out, exchanged, or by two neighbours swapped (Damerau's slips)."""
    if one == other or abs(len(one) - len(other)) > 1:
        return False
    if len(one) > len(other):
        one, other = other, one
    start = 0
    while start < len(one) and one[start] == other[start]:
        start += 1
    if len(one) == len(other):
        swapped = one[start : start + 2] == other[start : start + 2][::-1] and one[start + 2 :] == other[start + 2 :]
        return one[start + 1 :] == other[start + 1 :] or swapped
    return one[start:] == other[start + 1 :]


def _spelled(column: CodedColumn, weights: npt.NDArray[np.int64], texts: Sequence[str], group: list[int]) -> Finding:
    ordered = sorted(group, key=lambda at: (-weights[at], texts[at]))
    names = [texts[at] for at in ordered]
    others = tuple(names[1:])
    odd = np.zeros(len(texts), np.bool_)
    odd[ordered[1:]] = True
    return Finding(
        "spellings", column.name, "|".join(sorted(names)), f"{listed(names, 4)} look like one", f"{len(names):,} look like one",
        int(weights[odd].sum()), (Offer(f"Make them “{names[0]}”", (Unify(column.name, names[0], others),)),), records_of(column, odd),
    )  # fmt: skip


def _spaced(column: CodedColumn, weights: npt.NDArray[np.int64], seen: set[int]) -> Iterator[Finding]:
    trimmed = folded_spaces(column.dictionary.values).to_pylist()
    odd = np.array([text != short for text, short in zip(column.dictionary.texts, trimmed, strict=True)], np.bool_)
    odd[list(seen)] = False
    if odd.any():
        count = int(weights[odd].sum())
        yield Finding(
            "spaces", column.name, "", f"Spaces around or within {count:,} value{'s' if count != 1 else ''}", f"{count:,} with odd spaces", count,
            (Offer("Trim them", (TrimSpaces((column.name,)),)), Offer("Trim all text", (TrimSpaces(),))), records_of(column, odd),
        )  # fmt: skip
