"""Plain data as values of typed structs, from several threads at once.

msgspec finds out how a type is put together when it first decodes one, and two threads that do so at once end the process. So the first decoding of each type
is done by one thread at a time; later ones need no lock.
"""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any, TypeVar

import msgspec

T = TypeVar("T")
_lock = threading.RLock()  # a hook may decode further types
_known: set[Any] = set()


def from_json(data: bytes | str, kind: type[T]) -> T:
    """Return JSON as a value of a type. Raises msgspec.DecodeError, msgspec.ValidationError."""
    return _one_first(kind, lambda: msgspec.json.decode(data, type=kind))


def from_msgpack(data: bytes, kind: type[T]) -> T:
    """Return MessagePack as a value of a type. Raises msgspec.DecodeError, msgspec.ValidationError."""
    return _one_first(kind, lambda: msgspec.msgpack.decode(data, type=kind))


def from_builtins(value: Any, kind: type[T], hook: Callable[[type, Any], Any] | None = None) -> T:
    """Return lists, dictionaries and numbers as a value of a type; `hook` decodes types that msgspec does not know. Raises msgspec.ValidationError."""
    return _one_first(kind, lambda: msgspec.convert(value, kind, dec_hook=hook))


def _one_first(kind: Any, decode: Callable[[], T]) -> T:
    if kind in _known:
        return decode()
    with _lock:
        try:
            return decode()
        finally:
            _known.add(kind)
