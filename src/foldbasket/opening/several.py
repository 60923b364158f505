"""Files named one beside the other, as one basket: each a source, linked where that is sure. What `fold-basket show` works on."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from contextlib import suppress
from pathlib import Path

import msgspec
import numpy as np

from foldbasket.baskets.basket import Basket, SourceSpec, free_name
from foldbasket.baskets.files import Opened, is_basket, open_basket
from foldbasket.errors import BasketError, FoldBasketError
from foldbasket.links.link import Link, find_partners
from foldbasket.links.suggest import suggested
from foldbasket.styling.words import share_text
from foldbasket.tables.reading.readers import table_name
from foldbasket.tables.sample import in_view
from foldbasket.tables.table import Table

TOGETHER = "these files"
"""What errors call files that stand in no basket."""
SURE = 0.98
"""A link is sure where so large a part of the records finds a partner."""


def together(paths: Sequence[Path], names: Mapping[Path, str] | None = None) -> Opened:
    """The basket of one basket file, or one whose sources are some files of data; `names` call some of them otherwise. Raises BasketError where a basket
    stands among others."""
    names = names or {}
    baskets = [path for path in paths if is_basket(path)]
    if baskets and len(paths) > 1:
        raise BasketError(
            "a basket brings its sources itself.", where=str(baskets[0]), todo="Name it alone, or name files of data."
        )
    if baskets:
        return open_basket(baskets[0])
    sources: list[SourceSpec] = []
    for path in paths:
        name = free_name(names.get(path) or table_name(path), {each.name for each in sources})
        sources.append(SourceSpec(name, str(path.absolute())))
    folder = Path.cwd()
    return Opened(Basket(" and ".join(each.name for each in sources[:3]), tuple(sources)), folder / TOGETHER)


def sure_links(tables: Mapping[str, Table], links: Sequence[Link] = ()) -> list[tuple[Link, float]]:
    """The links that are suggested between tables, each with the part of the records that finds a partner: sure from `SURE` on. Judged on samples of tables
    that are not held."""
    seen = {key: in_view(table) for key, table in tables.items()}
    found = []
    for link in suggested(seen, links) if len(seen) > 1 else ():
        part = 0.0
        with suppress(FoldBasketError):
            partners = find_partners(link, seen[link.from_table], seen[link.to_table])
            part = float(np.mean(partners >= 0)) if len(partners) else 1.0
        found.append((link, part))
    return found


def linked(basket: Basket, tables: Mapping[str, Table]) -> tuple[Basket, list[str]]:
    """The basket with those of the suggested links that are sure, and a sentence about each that was suggested."""
    if basket.links:
        return basket, []
    taken: list[Link] = []
    said: list[str] = []
    for link, part in sure_links(tables):
        near, far = basket.source_name(link.from_table), basket.source_name(link.to_table)
        keys = ", ".join(one if one == other else f"{one} = {other}" for one, other in link.keys)
        if part >= SURE:
            taken.append(link)
            found = "" if part == 1 else f"; {share_text(1 - part, 1)} of its records have no match"
            said.append(f"{near} is linked to {far} by {keys}{found}".rstrip(".") + ".")
        else:
            said.append(
                f"{near} may belong to {far} by {keys}, but only {share_text(part)} of its records have a match: it is not linked."
            )
    return msgspec.structs.replace(basket, links=tuple(taken)), said
