"""Parquet files in an object store, by the addresses that the S3 protocol gives them: ``s3://bucket/folder/`` or one file.

They are never held whole: their descriptions are read, and of their records what is asked for. Where the store is and who asks is told by the environment (the variables
that all programs for the protocol read: AWS_ENDPOINT_URL, AWS_REGION, AWS_ACCESS_KEY_ID, AWS_SECRET_ACCESS_KEY, AWS_SESSION_TOKEN), never by a basket; the keys may also lie in
the desktop's keyring.
"""

from __future__ import annotations

import contextlib
import os
import time
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from functools import lru_cache
from pathlib import Path, PurePosixPath
from typing import Any, TypeVar

import msgspec
import pyarrow as pa

from foldbasket.errors import ReadError, out_of_memory
from foldbasket.later import pq
from foldbasket.tables.column import Column
from foldbasket.tables.progress import Progress
from foldbasket.tables.reading.alike import common_kinds, differing, has_no_value, mixed_of, notes_of
from foldbasket.tables.reading.folder import file_column, named_of
from foldbasket.tables.reading.parquet import first_line
from foldbasket.tables.reading.parquettypes import FieldKind, kinds_of
from foldbasket.tables.sample import whole_of
from foldbasket.tables.table import Table
from foldbasket.tables.unread import bound, unread_columns

LEAD = "s3://"
SERVICE = "Fold Basket: "
"""What keys are kept under in the desktop's keyring, with where the store is behind it."""
ENDINGS = (".parquet", ".pq")
ATTEMPTS = 5
"""So often a store that is busy is asked again, each time after a longer while."""
SECONDS = 10
PAUSES = (0.5, 2.0, 5.0)
"""Seconds to wait before a store that stays busy is asked again, after as many attempts each time."""
T = TypeVar("T")


def is_remote(path: str | Path) -> bool:
    """Whether a place is an address in an object store."""
    return str(path).startswith(LEAD)


def endpoint() -> str:
    """Where the store is, as the environment says; empty for that of the protocol's maker."""
    return os.environ.get("AWS_ENDPOINT_URL_S3") or os.environ.get("AWS_ENDPOINT_URL") or ""


@lru_cache(maxsize=4)
def _store(where: str, region: str, key: str, secret: str) -> Any:
    """A connection to the store; one for each that was told of. Without a `secret` the environment holds it, or there is none."""
    from pyarrow import fs

    scheme, _, host = where.rpartition("://")
    return fs.S3FileSystem(
        access_key=key if secret else None, secret_key=secret or None, endpoint_override=host or None, scheme=scheme or "https", region=region or None, anonymous=not key and "AWS_PROFILE" not in os.environ,
        connect_timeout=SECONDS, request_timeout=SECONDS, retry_strategy=fs.AwsStandardS3RetryStrategy(max_attempts=ATTEMPTS),
    )  # fmt: skip


def store() -> Any:
    """The store that the environment tells of, asked by the keys that the environment holds, else by those in the desktop's keyring."""
    told = os.environ
    region = told.get("AWS_REGION") or told.get("AWS_DEFAULT_REGION") or ("us-east-1" if endpoint() else "")
    key, secret = told.get("AWS_ACCESS_KEY_ID", ""), ""
    if not key and "AWS_PROFILE" not in told:
        key, secret = _kept_keys(endpoint())
    return _store(endpoint(), region, key, secret)


@lru_cache(maxsize=4)
def _kept_keys(where: str) -> tuple[str, str]:
    """The access key and the secret that the desktop's keyring holds for a store, under the name of the program and where the store is; empty where there
    are none, or no keyring."""
    with contextlib.suppress(Exception):  # a desktop without a keyring service has none to tell
        import keyring

        found = keyring.get_credential(f"{SERVICE}{where or LEAD}", None)
        if found is not None:
            return found.username, found.password
    return "", ""


class ObjectFile(msgspec.Struct, frozen=True):
    """A file in the store, by its bucket and key, in the state that it was found in."""

    key: str
    size: int
    time: int

    @property
    def name(self) -> str:
        """Its name without what it lies in."""
        return PurePosixPath(self.key).name

    def __str__(self) -> str:
        return LEAD + self.key

    def state(self) -> tuple[int, int]:
        """What it is in now. Raises OSError."""
        found = patiently(lambda: store().get_file_info(self.key))
        return (found.size or 0), (found.mtime_ns or 0)

    def open(self) -> pa.NativeFile:
        """Its bytes, read where they are asked for. Raises OSError."""
        return patiently(lambda: store().open_input_file(self.key))


def files_at(address: str) -> list[ObjectFile]:
    """The Parquet files at an address, by their keys. Raises ReadError where there is none, or the store does not answer."""
    from pyarrow import fs

    key = address.removeprefix(LEAD).rstrip("/")
    if not key:
        raise ReadError("it names no bucket.", where=address, todo="Write it like s3://bucket/folder/.")
    try:
        if key.endswith(ENDINGS):
            found = [patiently(lambda: store().get_file_info(key))]
        else:
            found = patiently(lambda: store().get_file_info(fs.FileSelector(key, recursive=True)))
    except (OSError, MemoryError, pa.ArrowException) as error:
        raise told_by_store(error, address) from None
    files = [
        ObjectFile(each.path, each.size or 0, each.mtime_ns or 0)
        for each in sorted(found, key=lambda each: each.path)
        if each.type is fs.FileType.File and each.path.endswith(ENDINGS) and not each.base_name.startswith((".", "_"))
    ]
    if not files:
        raise ReadError(
            "no Parquet file is there.",
            where=address,
            todo="Name a file that ends in .parquet, or what such files lie in.",
        )
    return files


BUSY = ("SLOW_DOWN", "SlowDown", "THROTTLING", "SERVICE_UNAVAILABLE", "INTERNAL_FAILURE", "REQUEST_TIMEOUT", "NETWORK_CONNECTION", "HTTP status code 5", "HTTP status 5", "HTTP response code 5", "curlCode")  # fmt: skip
"""What a store's errors say when it may well answer a moment later."""


def is_of_store(error: BaseException) -> bool:
    """Whether an error comes from the store, and not from what a file holds."""
    return "AWS Error" in str(error)


def is_busy(error: BaseException) -> bool:
    """Whether a store is busy, or cannot be reached for the moment, so that asking again may help."""
    return is_of_store(error) and any(word in str(error) for word in BUSY)


def patiently(ask: Callable[[], T]) -> T:
    """Return what a store answers, asked again after a while where it is busy. Raises what it says at last."""
    for pause in PAUSES:
        try:
            return ask()
        except (OSError, MemoryError, pa.ArrowException) as error:
            if not is_busy(error):
                raise
        time.sleep(pause)
    return ask()


def told_by_store(error: BaseException, where: str) -> ReadError:
    """What a store's error means."""
    said = first_line(error)
    told = out_of_memory(error, where)
    if told is not None:
        return told
    if is_busy(error):
        return ReadError(
            f"the object store is busy or cannot be reached ({said}).", where=where, todo="Try again in a moment."
        )
    if any(word in said for word in ("ACCESS_DENIED", "Access Denied", "AccessDenied", "INVALID_ACCESS", "SIGNATURE")):
        todo = "Are AWS_ACCESS_KEY_ID and AWS_SECRET_ACCESS_KEY those of a user who may read it?"
        return ReadError("the object store refused who asks.", where=where, todo=todo)
    return ReadError(
        f"the object store does not give it ({said}).",
        where=where,
        todo="Is the address right, and AWS_ENDPOINT_URL and AWS_REGION where it is? Then try again.",
    )


def _kinds(file: ObjectFile, told: pq.FileMetaData) -> dict[str, FieldKind]:
    """The types of a file's fields. Raises ReadError."""

    @contextlib.contextmanager
    def opened() -> Iterator[pq.ParquetFile]:
        with file.open() as source, pq.ParquetFile(source, metadata=told, pre_buffer=False) as made:
            yield made

    try:
        return patiently(lambda: kinds_of(told, str(file), opened))
    except (OSError, MemoryError, pa.ArrowException) as error:
        raise told_by_store(error, str(file)) from None


def read_objects(
    address: str, name: str, progress: Progress | None = None, files: Sequence[ObjectFile] | None = None
) -> Table:
    """The table of the Parquet files at an address, `files` where they were listed, none of whose records is read. Raises ReadError, also for files that hold fields whose type the files do
    not tell."""
    from foldbasket.tables.reading.parquetstream import ParquetStream, told_of

    progress = progress or Progress()
    files = files_at(address) if files is None else files
    kinds, counts = [], []
    for at, file in enumerate(files):
        progress.step(f"Asking for {file.name}", at / len(files))
        try:
            told = told_of(file, (file.size, file.time))
        except (OSError, MemoryError, pa.ArrowException) as error:
            raise told_by_store(error, str(file)) from None
        kinds.append(_kinds(file, told))
        counts.append(told.num_rows)
    states = [(file.size, file.time) for file in files]

    def is_blank(at: int, field: str) -> bool:
        return has_no_value(ParquetStream(name, [files[at]], [counts[at]], states=[states[at]]), field)

    common = common_kinds(kinds, is_blank)
    inside = PurePosixPath(address.removeprefix(LEAD).rstrip("/"))
    named = named_of(inside, [PurePosixPath(file.key) for file in files])
    more = {field: column for field, column in named.columns.items() if field not in common} if named else {}
    stream = ParquetStream(
        name, files, counts, states=states, named=Table("", more) if more else None, wider=differing(kinds, common)
    )

    def read(names: Collection[str], progress: Progress) -> Mapping[str, Column]:
        return whole_of(stream, names, progress, address)

    own = {field: (column.type, column.scale) for field, column in more.items()}
    columns = dict(unread_columns({**own, **common}, sum(counts)))
    if len(files) > 1:
        own_file = file_column(files, counts, columns)
        columns = {own_file.name: own_file, **columns}
    notes = notes_of([file.name for file in files], kinds, mixed_of(kinds, common))
    return bound(Table(name, columns, address, notes=tuple(notes)), read, stream)
