"""Every source of a basket read, with consent: from its file, its server, the archive, or the fold that it sums up."""

from __future__ import annotations

from collections.abc import Mapping

from foldbasket.baskets.consent import EVERYTHING, NOTHING, places_of
from foldbasket.baskets.files import Opened
from foldbasket.errors import BasketError, Cancelled, FoldBasketError
from foldbasket.opening.carried import carried_table
from foldbasket.opening.sources import read_source
from foldbasket.opening.summaries import summary_of
from foldbasket.styling.visible import visible
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.contract import Parts
from foldbasket.tables.table import Table


def outside_places(opened: Opened) -> tuple[str, ...]:
    """The files outside its own folder and the databases that a basket would read, which a stranger's may only with consent."""
    return places_of(opened.basket, opened.folder)


def load_tables(
    opened: Opened,
    *,
    allow_outside: bool = False,
    progress: Progress | None = None,
    problems: dict[str, FoldBasketError] | None = None,
    known: Mapping[str, Table] | None = None,
    lazily: bool = False,
    memory: int | None = None,
) -> dict[str, Table]:
    """Every source's table as it is read, by its key; `known` are at hand already. A source that cannot be read raises a BasketError that says which and what
    to do; with `problems` it is noted there instead, and the others are read.

    Files outside the basket's folder and databases are read only with `allow_outside`. What is read `lazily` has the values of a field read when
    something first asks for them, where its format allows that and nothing is mended; what is mended and would take more than so many bytes of `memory` is
    not held where its mends allow that.
    """
    if not allow_outside and (outside := outside_places(opened)):
        raise BasketError(
            f"it reads data outside its own folder: {', '.join(map(visible, outside))}.",
            where=opened.path.name,
            todo="If you trust it, allow that (on the command line: --trust).",
        )
    tables: dict[str, Table] = dict(known or {})

    def fold_table(name: str, progress: Progress | None) -> Table:
        return summary_of(opened.basket, name, read, progress)

    def read(name: str) -> Table:
        if name not in tables:
            source = opened.basket.source(name)
            if source.data is not None:
                tables[name] = carried_table(opened.path, source, progress)
            else:
                agreed = EVERYTHING if allow_outside else NOTHING
                parts = Parts(lazily=lazily and not source.mends)
                keep = not opened.basket.confidential
                most = memory if source.mends else None
                tables[name] = read_source(
                    source, opened.folder, agreed, progress, fold_table, parts, keep=keep, most=most
                )
        return tables[name]

    for source in opened.basket.sources:
        try:
            read(source.key)
        except FoldBasketError as error:
            if isinstance(error, Cancelled):
                raise
            if problems is not None:
                problems[source.key] = error
                continue
            raise BasketError(f"the source “{source.name}” cannot be read: {error}", where=opened.path.name) from None
    return tables
