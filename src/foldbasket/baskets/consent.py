"""What a basket may read: everything inside its own folder, and beyond that only places to which the user has agreed.

The one place where this is judged, for every way in which a source is read. What is agreed to is the content, places with their
queries, never the name of a basket's file, which another basket may take.
"""

from __future__ import annotations

import hashlib
import os
from collections.abc import Iterable
from pathlib import Path

from foldbasket.baskets.basket import Basket, SourceSpec
from foldbasket.baskets.passwords import is_told_by_environment
from foldbasket.errors import ReadError
from foldbasket.styling.visible import visible
from foldbasket.tables.reading.objects import endpoint
from foldbasket.tables.reading.readers import files_of_source, is_many


class Agreed:
    """The places that may be read. `everything` is for what the user chose by hand, or trusts as a whole."""

    def __init__(self, places: Iterable[str] = (), *, everything: bool = False) -> None:
        self._places, self._everything = set(places), everything

    def add(self, places: Iterable[str]) -> None:
        """Agrees to further places."""
        self._places |= set(places)

    def check(self, spec: SourceSpec, folder: Path) -> None:
        """Raises ReadError where reading a source would reach a place that was not agreed to. Looks at the file system anew, since a
        link may have been put there in the meantime."""
        missing = (
            [] if self._everything else [place for place in places_of_source(spec, folder) if place not in self._places]
        )
        if missing:
            raise ReadError(
                f"it would read {visible(missing[0])}, to which nobody has agreed.",
                where=spec.name,
                todo="Choose it yourself on the source's card, or open the basket again and agree (on the command line: --trust).",
            )


NOWHERE = Path("/nowhere")
"""A folder that holds nothing, as that of a basket on the desk: all its places are named in full, and agreed to one by one."""
NOTHING = Agreed()
"""Only what lies in the basket's own folder."""
EVERYTHING = Agreed(everything=True)


def places_of(basket: Basket, folder: Path) -> tuple[str, ...]:
    """Every place outside its folder that a basket would read, now or when it reads again: databases with their queries and object stores first, then files,
    folders and patterns by where they really are."""
    ordered = sorted(basket.sources, key=lambda source: not reaches_server(source))
    return tuple(dict.fromkeys(place for source in ordered for place in places_of_source(source, folder)))


def reaches_server(source: SourceSpec) -> bool:
    """Whether reading a source sends anything over a network: its query, and perhaps a password."""
    return source.server is not None or source.is_remote


def servers_of(basket: Basket) -> tuple[str, ...]:
    """Each server that a basket would reach, with what is sent to it beside the query, in a few words; as it is shown to the user."""
    found: dict[str, None] = {}
    for source in basket.sources:
        if source.server is not None:
            server = source.server
            sent = (
                f", with the password for {server.user} from the environment" if is_told_by_environment(server) else ""
            )
            found[visible(f"{server.label}{sent}")] = None
        elif source.is_remote:
            found[visible(endpoint() or "the object store of the environment")] = None
    return tuple(found)


def places_of_source(source: SourceSpec, folder: Path) -> list[str]:
    """The places outside a folder that one source would read; whether the basket carries its records makes no difference."""
    if source.server is not None:
        reading = source.reading.query or f"table {source.reading.table or '(none named)'}"
        told = ", with the password that the environment holds" if is_told_by_environment(source.server) else ""
        return [f"the database {source.server.user}@{source.server.label}{told}: {reading}"]
    if not source.path or source.fold is not None:
        return []
    if source.is_remote:
        return [f"{source.path} at {endpoint() or 'the object store of the environment'}"]
    home, path = _real(folder), folder / source.path
    places = []
    if is_many(path):
        inner = path if os.path.isdir(path) else path.parent
        allowed = [home]
        if not _real(inner).is_relative_to(home):
            places.append(str(_real(inner) / ("" if os.path.isdir(path) else path.name)))
            allowed.append(_real(inner))
        files = files_of_source(path)
    else:
        allowed, files = [home], [path]
    real = [_real(file) for file in files]
    places += [str(file) for file in real if not any(file.is_relative_to(each) for each in allowed)]
    return places


def digest(places: Iterable[str]) -> str:
    """Names a set of places, so that agreement to them can be kept without keeping them."""
    return hashlib.sha256("\n".join(sorted(set(places))).encode("utf-8", "surrogateescape")).hexdigest()


def _real(path: Path) -> Path:
    try:
        return Path(os.path.realpath(path))
    except (OSError, ValueError):  # reading it says what is wrong
        return path
