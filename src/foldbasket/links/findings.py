"""What links show about data: keys that find no partner, with the partner they seem to mean."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator

import numpy as np
import numpy.typing as npt

from foldbasket.errors import FoldBasketError
from foldbasket.links.link import Link, find_partners
from foldbasket.links.source import Source
from foldbasket.tables.column import CodedColumn
from foldbasket.tables.distinct import distinct
from foldbasket.tables.findings.finding import Finding, Offer, some
from foldbasket.tables.findings.spellings import one_slip, plain
from foldbasket.tables.mending.texts import ReplaceValues
from foldbasket.tables.types import FieldType

MOST_MISSING = 500
MOST_KNOWN = 100_000


def link_findings(source: Source, table: str) -> list[Finding]:
    """The findings on one table's keys, for every link that leads away from it."""
    return [finding for link in source.links if link.from_table == table for finding in _missing(source, link)]


def _missing(source: Source, link: Link) -> Iterator[Finding]:
    near, far = source.table(link.from_table), source.table(link.to_table)
    try:
        partners = find_partners(link, near, far)
    except FoldBasketError:
        return  # said on the link itself
    field = link.keys[0][0]
    column = near.column(field).coded()
    lost = (partners < 0) & (column.codes < len(column.dictionary))
    count = int(lost.sum())
    if not count:
        return
    offers = []
    if len(link.keys) == 1 and column.type is FieldType.TEXT:
        meant = _meant(column, far.column(link.keys[0][1]).coded(), lost)
        if meant:
            pairs = list(meant.items())
            first = f"“{pairs[0][0]}” to “{pairs[0][1]}”" if len(pairs) == 1 else f"{len(pairs)} to the nearest key"
            offers.append(Offer(f"Change {first}", (ReplaceValues(field, meant),)))
    missing = [column.dictionary.key(int(code)) for code in distinct(column.codes[lost])[:4]]
    yield Finding(
        "no partner", field, link.to_table, f"{count:,} record{'s find' if count != 1 else ' finds'} no partner in {far.name}", f"{count:,} not found", count,
        tuple(offers), lambda _: np.flatnonzero(lost), f"{some(missing)}; reports show them as (no match).",
    )  # fmt: skip


def _meant(near: CodedColumn, far: CodedColumn, lost: npt.NDArray[np.bool_]) -> dict[str, str]:
    """For missing keys the one known key that is written almost alike."""
    codes = distinct(near.codes[lost])
    if len(codes) > MOST_MISSING or len(far.dictionary) > MOST_KNOWN:
        return {}
    known = far.dictionary.texts
    by_plain: dict[str, list[str]] = defaultdict(list)
    by_length: dict[int, list[str]] = defaultdict(list)
    for key in known:
        by_plain[_bare(key)].append(key)
        by_length[len(key)].append(key)
    meant: dict[str, str] = {}
    for code in codes:
        key = near.dictionary.key(int(code))
        close = by_plain.get(_bare(key), [])
        if not close:
            around = [other for size in (len(key) - 1, len(key), len(key) + 1) for other in by_length.get(size, [])]
            close = [other for other in around if one_slip(key, other)]
        if len(close) == 1:
            meant[key] = close[0]
    return meant


def _bare(key: str) -> str:
    """A key without what is easily mistaken: case, spaces, signs, the letter O for 0, I and L for 1."""
    return plain(key).replace("o", "0").replace("i", "1").replace("l", "1")
