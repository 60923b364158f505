"""From an opened basket to an engine, with whatever went wrong on the way told and nothing dropped in silence.

Used by the command line; it decides nothing about how a problem is shown.
"""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.files import Opened, is_basket, load_tables, open_basket
from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.tables.mending.mend import Outcome, mended
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.readers import table_name
from foldbasket.tables.table import Table


@dataclass(frozen=True, eq=False)
class Prepared:
    """A basket ready to be folded. `tables` are mended, `outcomes` tell what became of each mend by source, and `problems` are
    sentences about whatever may make a number differ from what the basket asks for."""

    basket: Basket
    tables: dict[str, Table]
    source: Source
    engine: Engine
    outcomes: dict[str, tuple[Outcome, ...]]
    problems: tuple[str, ...]


def basket_or_data(path: Path) -> Opened:
    """The basket in a file; or for a file of data one that holds nothing but this source. Raises BasketError."""
    if is_basket(path):
        return open_basket(path)
    full = path.absolute()
    return Opened(Basket(table_name(path), (SourceSpec(table_name(path), full.name),)), full)


def prepare(opened: Opened, *, allow_outside: bool = False, progress: Progress | None = None) -> Prepared:
    """Reads, mends, links and calculates. Raises BasketError when a source cannot be read or may not be."""
    basket = opened.basket
    problems: list[str] = []
    tables: dict[str, Table] = {}
    outcomes: dict[str, tuple[Outcome, ...]] = {}
    for name, table in load_tables(opened, allow_outside=allow_outside, progress=progress).items():
        tables[name], outcomes[name] = mended(table, basket.source(name).mends, progress)
        problems += [
            f"the source “{name}”: a mend was passed over: {each.problem}"
            for each in outcomes[name]
            if each.problem is not None
        ]
    source, failed = basket.whole(tables)
    problems += [f"the field “{name}” of “{of}”: {problem}" for (of, name), problem in failed.items()]
    for link in source.links:
        try:
            source.rows(link.from_table, link.to_table)
        except FoldBasketError as error:
            problems.append(str(error))
    engine = Engine(source, locale=basket.locale, currency=basket.currency, as_of=basket.as_of)
    return Prepared(basket, tables, source, engine, outcomes, tuple(problems))
