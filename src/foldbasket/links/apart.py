"""How a link fits whose near table is not held: its keys are looked through part by part."""

from __future__ import annotations

from collections.abc import Callable, Iterator

import numpy as np

from foldbasket.links.link import Link, Match, match_of_parts
from foldbasket.tables.progress import Progress
from foldbasket.tables.sample import made_of, made_whole, stream_behind, with_needs
from foldbasket.tables.table import Table


def match_apart(
    link: Link, near: Table, far: Table, progress: Progress, between: Callable[[], object] = lambda: None
) -> Match:
    """How a link fits; `between` is called before every part. Raises LinkError where the types of a pair do not go together, ReadError, Cancelled."""
    return match_of_parts(link, ((part, None) for part in _parts(link, near, progress, between)), far)


def _parts(link: Link, near: Table, progress: Progress, between: Callable[[], object]) -> Iterator[Table]:
    stream = stream_behind(near)
    assert stream is not None
    names = {name for name, _ in link.keys}
    for name in names:
        near.column(name)  # which tells of one that is not there
    for part in stream.parts(made_of(near, names)):
        progress.step(f"Matching {near.name}", part.start / max(1, stream.count))
        between()
        at = np.arange(part.start, part.start + part.table.count)
        yield made_whole(near, part.table.columns, at, with_needs(near, names))
