"""From an opened basket to an engine, with whatever went wrong on the way told and nothing dropped in silence.

Used by the command line; it decides nothing about how a problem is shown.
"""

from __future__ import annotations

from pathlib import Path

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import Opened, is_basket, open_basket
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.opening.reading import load_tables
from foldbasket.opening.ready import Ready, made_ready
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.readers import table_name


def basket_or_data(path: Path) -> Opened:
    """The basket in a file; or for a file of data one that holds nothing but this source. Raises BasketError."""
    if is_basket(path):
        return open_basket(path)
    full = path.absolute()
    return Opened(Basket(table_name(path), (SourceSpec(table_name(path), full.name),)), full)


def prepare(
    opened: Opened,
    *,
    allow_outside: bool = False,
    progress: Progress | None = None,
    lazily: bool = False,
    memory: int | None = None,
    cluster: Cluster | None = None,
) -> Ready:
    """Reads, mends, links and calculates; `lazily` only what folds will ask for, and what would take more than so many bytes of `memory` as a stream, or
    whatever can come as one where it is folded on a `cluster`. Raises BasketError when a source cannot be read or may not be."""
    tables = load_tables(opened, allow_outside=allow_outside, progress=progress, lazily=lazily, memory=memory)
    return made_ready(opened.basket, tables, progress, links=not lazily, memory=memory, cluster=cluster)
