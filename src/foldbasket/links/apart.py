"""How a link fits whose near table is not held: its keys are looked through part by part."""

from __future__ import annotations

from collections.abc import Callable

from foldbasket.links.link import Link, Match, match_of_parts
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import parts_of
from foldbasket.tables.table import Table


def match_apart(
    link: Link, near: Table, far: Table, progress: Progress, between: Callable[[], object] = lambda: None
) -> Match:
    """How a link fits; `between` is called before every part. Raises LinkError where the types of a pair do not go together, ReadError, Cancelled."""
    names = {name for name, _ in link.keys}
    for name in names:
        near.column(name)  # which tells of one that is not there
    parts = parts_of(near, names, progress, "Matching", between)
    return match_of_parts(link, ((part.table, None) for part in parts), far)
