"""The kinds of a sort, found by their keys. See `kinds.py` for what a kind is; this part imports nothing, since the window lists its actions
before anything else is loaded."""

from __future__ import annotations

import importlib
import pkgutil
import threading
from collections.abc import Iterator
from typing import Generic, TypeVar

K = TypeVar("K")


class Kinds(Generic[K]):
    """The kinds of one sort by their keys, in the order in which they are offered."""

    def __init__(self, what: str, *packages: str) -> None:
        self.what = what
        """What one is called: “comparison”."""
        self._packages = list(packages)
        self._found: dict[str, K] = {}
        self._changes = 0
        self._loading = threading.RLock()

    def enter(self, key: str, kind: K) -> K:
        """Adds a kind. Raises ValueError where another has its key."""
        if self._found.get(key, kind) is not kind:
            raise ValueError(f"there are two kinds of {self.what} called “{key}”")
        self._found[key] = kind
        self._changes += 1
        return kind

    def leave(self, key: str) -> None:
        """Takes a kind out again."""
        del self._found[key]
        self._changes += 1

    @property
    def version(self) -> int:
        """Another number whenever other kinds are entered: for whoever keeps what was made of all of them."""
        self._all()
        return self._changes

    def _all(self) -> dict[str, K]:
        with self._loading:
            while self._packages:
                package = importlib.import_module(self._packages.pop())
                for module in pkgutil.iter_modules(package.__path__, package.__name__ + "."):
                    importlib.import_module(module.name)
        return self._found

    def _in_order(self) -> list[tuple[str, K]]:
        return sorted(self._all().items(), key=lambda each: (getattr(each[1], "standing", 0), each[0]))

    def __iter__(self) -> Iterator[K]:
        """Every kind, by its `standing` where it has one."""
        return iter([kind for _, kind in self._in_order()])

    def __contains__(self, key: str) -> bool:
        return key in self._all()

    def __getitem__(self, key: str) -> K:
        return self._all()[key]

    def get(self, key: str) -> K | None:
        """The kind with a key; None where there is none."""
        return self._all().get(key)

    def keys(self) -> list[str]:
        """All keys, in the order in which the kinds are offered."""
        return [key for key, _ in self._in_order()]
