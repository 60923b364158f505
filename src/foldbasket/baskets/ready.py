"""From the tables of a basket as they are read to an engine: mended, calculated, linked; whatever went wrong on the way is told.

This is the one path there. The command line goes it for a whole basket, and a fold that is a source goes it for what it is made of. The
window goes the same steps one by one (`desktop/supply.py`), since it keeps what an edit did not change.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from foldbasket.baskets.basket import Basket
from foldbasket.errors import FoldBasketError
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.tables.mending.mend import Outcome, mended
from foldbasket.tables.progress import Progress
from foldbasket.tables.table import Table


@dataclass(frozen=True, eq=False)
class Ready:
    """Tables ready to be folded. `tables` are mended, `outcomes` tell what became of each mend by source, and `problems` are
    sentences about whatever may make a number differ from what the basket asks for."""

    tables: dict[str, Table]
    source: Source
    engine: Engine
    outcomes: dict[str, tuple[Outcome, ...]]
    problems: tuple[str, ...]


def made_ready(basket: Basket, read: Mapping[str, Table], progress: Progress | None = None) -> Ready:
    """Mends, calculates and links tables of a basket as they are read."""
    problems: list[str] = []
    tables: dict[str, Table] = {}
    outcomes: dict[str, tuple[Outcome, ...]] = {}
    for key, table in read.items():
        spec = basket.source(key)
        if spec.fold is not None:
            problems += [f"the source “{spec.name}”: {note}" for note in table.notes]
        made, outcomes[key] = mended(table, spec.mends, progress)
        tables[key] = made.named(spec.name)
        problems += [
            f"the source “{spec.name}”: a mend was passed over: {each.problem}"
            for each in outcomes[key]
            if each.problem is not None
        ]
    source, failed = basket.whole(tables)
    problems += [
        f"the field “{name}” of “{basket.source_name(of)}”: {problem}" for (of, name), problem in failed.items()
    ]
    for link in source.links:
        if link.from_table in tables and link.to_table in tables:
            try:
                source.rows(link.from_table, link.to_table)
            except FoldBasketError as error:
                problems.append(str(error))
    engine = Engine(source, locale=basket.locale, currency=basket.currency, as_of=basket.as_of)
    return Ready(tables, source, engine, outcomes, tuple(problems))
