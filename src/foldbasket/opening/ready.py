"""From the tables of a basket as they are read to an engine: mended, calculated, linked; whatever went wrong on the way is told.

This is the one path there. `made_ready` goes it to its end: for the command line a whole basket, for a fold that is a source what it is
made of. The window goes the same two steps (`Keeping.mended`, `Keeping.calculated`) and keeps what an edit did not change.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec

from foldbasket.baskets.basket import Basket
from foldbasket.errors import FoldBasketError
from foldbasket.folding.cubes.cluster import Cluster
from foldbasket.folding.engine import Engine
from foldbasket.links.source import Source
from foldbasket.opening import calculating
from foldbasket.opening.mending import Mending, may_keep
from foldbasket.tables.mending.mend import Outcome
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import is_sampled
from foldbasket.tables.table import Table


class Ready(msgspec.Struct, frozen=True, eq=False):
    """Tables ready to be folded. `tables` are mended, `outcomes` tell what became of each mend by source, and `problems` are
    sentences about whatever may make a number differ from what the basket asks for."""

    tables: dict[str, Table]
    source: Source
    engine: Engine
    outcomes: dict[str, tuple[Outcome, ...]]
    problems: tuple[str, ...]


class Keeping:
    """The steps from tables as they are read to those that are folded, each with what it has made kept."""

    def __init__(self) -> None:
        self._mending = Mending()
        self._calculating = calculating.Calculating()

    def can_mend(self, basket: Basket, key: str, table: Table) -> bool:
        """Whether nothing is left to mend of a source's table."""
        return self._mending.is_ready(table, basket.source(key))

    def mended(
        self, basket: Basket, key: str, table: Table, progress: Progress | None = None
    ) -> tuple[Table, tuple[Outcome, ...]]:
        """A source's table after its mends, under its name, and what became of each mend."""
        spec = basket.source(key)
        made, outcomes = self._mending.table(table, spec, progress, keep=may_keep(basket, spec))
        return made.named(spec.name), outcomes

    def can_calculate(self, basket: Basket, tables: Mapping[str, Table]) -> bool:
        """Whether nothing is left to calculate."""
        return self._calculating.is_ready(basket.calculated, basket.joined(tables), basket.as_of)

    def calculated(
        self,
        basket: Basket,
        tables: Mapping[str, Table],
        progress: Progress | None = None,
        memory: int | None = None,
    ) -> calculating.Outcome:
        """Mended tables with the basket's calculated fields, and why some could not be made."""
        return self._calculating.outcome(basket.calculated, basket.joined(tables), basket.as_of, progress, memory)


def made_ready(
    basket: Basket,
    read: Mapping[str, Table],
    progress: Progress | None = None,
    *,
    links: bool = True,
    memory: int | None = None,
    cluster: Cluster | None = None,
) -> Ready:
    """Mends, calculates and links tables of a basket as they are read, by the keys of their sources. Without `links` those are followed when a fold
    needs them, and no problem is told of one that none does."""
    problems: list[str] = []
    tables: dict[str, Table] = {}
    outcomes: dict[str, tuple[Outcome, ...]] = {}
    keeping = Keeping()
    for key, table in read.items():
        spec = basket.source(key)
        if spec.fold is not None:
            problems += [f"the source “{spec.name}”: {note}" for note in table.notes]
        tables[key], outcomes[key] = keeping.mended(basket, key, table, progress)
        problems += [
            f"the source “{spec.name}”: a mend was passed over: {each.problem}"
            for each in outcomes[key]
            if each.problem is not None
        ]
    made = keeping.calculated(basket, tables, progress, memory)
    source = basket.joined(made.tables)
    problems += [
        f"the field “{name}” of “{basket.source_name(of)}”: {problem}" for (of, name), problem in made.problems.items()
    ]
    for link in source.links if links else ():
        if link.from_table in tables and link.to_table in tables and not is_sampled(tables[link.from_table]):
            try:
                source.rows(link.from_table, link.to_table)
            except FoldBasketError as error:
                problems.append(str(error))
    engine = Engine(
        source,
        locale=basket.locale,
        currency=basket.currency,
        as_of=basket.as_of,
        memory=memory,
        cluster=cluster,
    )
    return Ready(tables, source, engine, outcomes, tuple(problems))
