"""Basket files: a ZIP ``.basket`` with ``basket.json`` and perhaps the data, or the same JSON in a plain ``.json``.

Saving is atomic: the new file is complete on disk before it takes the old one's name, and the old one is kept as
``NAME~``. Opening checks everything before it hands anything on, and never unpacks more than it said it would.
"""

from __future__ import annotations

import hashlib
import json
import os
import re
import zipfile
from collections import Counter
from collections.abc import Mapping
from pathlib import Path

import msgspec
import pyarrow as pa

from foldbasket import kinds
from foldbasket.baskets.archive import MOST_JSON, entries_told, inner_json, pack
from foldbasket.baskets.basket import FORMAT, VERSION, Basket, BasketFile, SourceSpec
from foldbasket.baskets.migration import migrated
from foldbasket.baskets.needs import circle_of, depth_of
from foldbasket.baskets.output_guard import OutputGuard
from foldbasket.baskets.schema import allowed_at
from foldbasket.errors import BasketError, FoldError, reason_of
from foldbasket.formulas.evaluation import day_named
from foldbasket.tables.table import Table
from foldbasket.whole import written_whole

ENDINGS = (".basket", ".json")
DEEPEST = 40
"""So many folds may stand on one another, each made a source of the next."""


State = tuple[tuple[int, int, int], str]
"""What tells one state of a basket's file from another: size, time and number, and a digest of all that it holds, its records too."""


class Opened(msgspec.Struct, frozen=True):
    """A basket and the file it came from, with the state that this was in; paths in it are relative to `folder`."""

    basket: Basket
    path: Path
    state: State | None = None

    @property
    def folder(self) -> Path:
        return Path(os.path.realpath(self.path)).parent


def is_basket(path: Path) -> bool:
    """Whether a file is a basket rather than data: by its ending, and JSON by what it says of itself."""
    if path.suffix.lower() != ".json":
        return path.suffix.lower() in ENDINGS
    try:
        with path.open("rb") as file:
            return f'"{FORMAT}"'.encode() in file.read(1 << 16)
    except OSError:
        return True  # opening it says what is wrong


def open_basket(path: Path) -> Opened:
    """The basket in a file. Raises BasketError when it is missing, broken, newer than this program, or not a basket."""
    try:
        text, state = _json_of(path)
    except FileNotFoundError:
        raise BasketError("there is no such file.", where=str(path), todo="Was it moved or renamed?") from None
    except IsADirectoryError:
        raise BasketError("this is a folder.", where=str(path), todo="Choose a .basket file in it.") from None
    except PermissionError:
        raise BasketError(
            "you may not read this file.", where=str(path), todo="Ask for the right to read it."
        ) from None
    except OSError as error:
        raise BasketError(
            f"the file cannot be read ({reason_of(error)}).", where=str(path), todo="Try again."
        ) from None
    except ValueError as error:  # a name with a NUL in it
        raise BasketError(f"this is no name of a file ({error}).", where=repr(str(path))) from None
    return Opened(decode(text, path.name), path, state)


def _json_of(path: Path) -> tuple[bytes, State]:
    if os.path.exists(path) and not os.path.isdir(path) and not os.path.isfile(path):
        raise BasketError("this is no plain file.", where=str(path), todo="Choose a .basket file.")
    with path.open("rb") as file:
        start, found = file.read(4), os.fstat(file.fileno())
    is_archive = start == b"PK\x03\x04"
    text = inner_json(path) if is_archive else _plain_json(path)
    told = text + entries_told(path).encode() if is_archive else text
    return text, ((found.st_size, found.st_mtime_ns, found.st_ino), hashlib.sha256(told).hexdigest())


def state_of(path: Path) -> State | None:
    """The state that a basket's file is in; None when there is none that can be read."""
    try:
        return _json_of(path)[1]
    except (OSError, ValueError, BasketError):
        return None


def is_other(path: Path, state: State | None) -> bool:
    """Whether a file now holds another basket than it did in an earlier state: somebody else has saved it since."""
    now = state_of(path)
    return os.path.exists(path) and state is not None and (now is None or (now[0] != state[0] and now[1] != state[1]))


def decode(text: bytes, where: str) -> Basket:
    """The basket that JSON describes; raises BasketError that names what does not fit, and where in it."""
    earlier = f"The earlier copy, “{where}~”, may still open."
    try:
        head = json.loads(text, parse_constant=_no_number)
        json.dumps(head, ensure_ascii=False).encode()
    except (ValueError, RecursionError) as error:
        said = "it holds half a letter" if isinstance(error, UnicodeEncodeError) else str(error)
        raise BasketError(f"the basket is not valid JSON ({said}).", where=where, todo=earlier) from None
    if not isinstance(head, dict) or head.get("format") != FORMAT:
        raise BasketError(
            "this is not a basket.", where=where, todo=f'A basket\'s JSON begins with "format": "{FORMAT}".'
        )
    version = head.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise BasketError(
            "the basket does not say which version of the format it is.", where=where, todo=f'Add "version": {VERSION}.'
        )
    if version > VERSION:
        raise BasketError(
            f"the basket was made by a newer Fold Basket (format {version}, this one knows {VERSION}).",
            where=where,
            todo="Update Fold Basket.",
        )
    try:
        read = kinds.read(migrated(head, version), BasketFile)
        basket = Basket(**{name: getattr(read, name) for name in Basket.__struct_fields__})
        encode(basket)  # what can be read and not be written again is no basket either
    except (msgspec.MsgspecError, OverflowError, RecursionError) as error:
        found = re.search(r" - at `(\$[^`]*)`", str(error))
        allowed = allowed_at(found.group(1)) if found is not None else []
        listed = (
            f"There may stand: {', '.join(allowed[:40])}."
            if allowed
            else "Mend that place, or see docs/basket-format.md."
        )
        raise BasketError(
            f"the basket has something this program does not know: {error}.", where=where, todo=listed
        ) from None
    _check(basket, where)
    return basket


def _no_number(said: str) -> float:
    raise ValueError(f"{said} is no number")


def encode(basket: Basket) -> bytes:
    """The basket's JSON, indented, with the format's name and version first."""
    body = msgspec.to_builtins(basket)
    ordered = {"format": FORMAT, "version": VERSION, "name": basket.name, **body}
    return msgspec.json.format(msgspec.json.encode(ordered), indent=2) + b"\n"


def _check(basket: Basket, where: str) -> None:
    """What the types cannot say: names are unique, links and words refer to what is there, the locale exists."""
    from babel import Locale, UnknownLocaleError

    def once(kind: str, names: list[str]) -> None:
        for name, many in Counter(names).items():
            if many > 1:
                raise BasketError(f"two {kind} are called “{name}”.", where=where, todo="Rename one.")

    once("sources", [source.name for source in basket.sources])
    once("folds", [fold.name for fold in basket.folds])
    for kind, keys in (
        ("sources", [source.key for source in basket.sources]),
        ("folds", [fold.key for fold in basket.folds]),
    ):
        for key, many in Counter(keys).items():
            if many > 1:
                raise BasketError(f"two {kind} have the id “{key}”.", where=where, todo="Give one another id.")
    _check_references(basket, where)
    for fold in basket.folds:
        once(f"words of the fold “{fold.name}”", [word.id for word in fold.words()])
    if basket.as_of not in ("latest", "today"):
        try:
            day_named(basket.as_of)
        except FoldError as error:
            raise BasketError(error.what, where=where, todo=error.todo) from None
    try:
        Locale.parse(basket.locale)
    except (UnknownLocaleError, ValueError):
        raise BasketError(
            f"there is no locale “{basket.locale}”.", where=where, todo='Write it like "en" or "de_AT".'
        ) from None


def _check_references(basket: Basket, where: str) -> None:
    """Sources and links name what is there, and folds do not stand on one another too deep."""
    known = {source.key for source in basket.sources}
    for source in basket.sources:
        if source.fold is not None and source.fold not in {fold.key for fold in basket.folds}:
            raise BasketError(
                f"the source “{source.name}” is made of the fold “{source.fold}”, which is not there.",
                where=where,
                todo="Add the fold, or take the source out.",
            )
    if circle_of(basket) is None and (deep := depth_of(basket)) > DEEPEST:
        raise BasketError(
            f"{deep} folds stand on one another; the most is {DEEPEST}.",
            where=where,
            todo="Take some of the sources out.",
        )
    for link in basket.links:
        for end in (link.from_table, link.to_table):
            if end not in known:
                raise BasketError(
                    f"a link names the source “{end}”, which is not there.",
                    where=where,
                    todo="Add the source, or take the link out.",
                )


def _plain_json(path: Path) -> bytes:
    if path.stat().st_size > MOST_JSON:
        raise BasketError(
            f"a basket's JSON is never larger than {MOST_JSON >> 20} MB.",
            where=path.name,
            todo="Is this a data file? Open it as data.",
        )
    return path.read_bytes()


def with_full_paths(opened: Opened) -> Basket:
    """The basket with the paths of its sources said in full, as it is worked on."""
    return msgspec.structs.replace(
        opened.basket,
        sources=tuple(
            msgspec.structs.replace(source, path=os.path.normpath(opened.folder / source.path))
            if source.is_file
            else source
            for source in opened.basket.sources
        ),
    )


def relative_to(basket: Basket, folder: Path) -> Basket:
    """The basket, whose paths are full, with those within `folder` said relative to it, as it is saved there."""

    def moved(source: SourceSpec) -> SourceSpec:
        if not source.is_file:
            return source
        target = Path(os.path.normpath(source.path))
        inside = target.is_relative_to(folder)
        return msgspec.structs.replace(source, path=str(target.relative_to(folder)) if inside else str(target))

    return msgspec.structs.replace(basket, sources=tuple(moved(source) for source in basket.sources))


def save_basket(
    basket: Basket, path: Path, tables: Mapping[str, Table] | None = None, *, earlier: Path | None = None
) -> Basket:
    """Writes a basket, with its data when `tables` are given, and returns it as written. Paths must fit its folder.

    Records that the basket carries and that are not among the tables are taken over from the `earlier` file. Raises OutputError for a file that is or would
    become data of the basket; BasketError when the file cannot be written, or when it would lose records; what stood there before is then untouched.
    """
    if tables is not None and path.suffix.lower() == ".json":
        raise BasketError("a plain JSON basket cannot carry data.", where=path.name, todo="Save it as .basket.")
    OutputGuard(basket, None, path.parent).check(path)
    taken = _carried_by(earlier) if tables is not None and earlier is not None else {}
    if tables is None:
        written = msgspec.structs.replace(
            basket, sources=tuple(_without_data(source, path) for source in basket.sources)
        )
    else:
        sources = []
        for number, source in enumerate(basket.sources, 1):
            carried = source.fold is None and (source.key in tables or source.key in taken)
            if source.data is not None and not carried:
                raise BasketError(
                    f"the records of “{source.name}”, which only the basket holds, are not at hand, and saving now would lose them.",
                    where=path.name,
                    todo="Undo what was changed about how it is read, or take the source out.",
                )
            sources.append(msgspec.structs.replace(source, data=f"data/{number}.parquet" if carried else None))
        written = msgspec.structs.replace(basket, sources=tuple(sources))
    try:
        content = encode(written)
        with written_whole(path, keep=True) as fresh:
            if path.suffix.lower() == ".json":
                fresh.write_bytes(content)
            else:
                pack(fresh, content, written, tables or {}, earlier, taken)
    except MemoryError:  # Arrow's own, too
        raise
    except (OSError, ValueError, OverflowError, zipfile.BadZipFile, pa.ArrowException) as error:
        raise BasketError(
            f"the basket cannot be saved ({reason_of(error)}).",
            where=str(path),
            todo="Choose another place.",
        ) from None
    return written


def _carried_by(path: Path) -> dict[str, str]:
    """The entries with the records of each source that a basket's file carries, by the source's key."""
    try:
        found = open_basket(path).basket
    except BasketError:
        return {}
    return {source.key: source.data for source in found.sources if source.data is not None}


def _without_data(source: SourceSpec, path: Path) -> SourceSpec:
    if source.data is None and not source.path and source.server is None and source.fold is None:
        raise BasketError(
            f"the source “{source.name}” was pasted, so no file holds it.",
            where=path.name,
            todo="Save the basket with its data.",
        )
    if source.data is not None and not (source.path and os.path.exists(path.parent / source.path)):
        raise BasketError(
            f"the source “{source.name}” is only held inside the basket.",
            where=path.name,
            todo="Save the basket with its data.",
        )
    return msgspec.structs.replace(source, data=None)
