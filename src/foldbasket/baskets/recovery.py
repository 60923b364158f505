"""Recovery: unsaved work is written aside now and then, and offered again after a crash.

One file per running program, in the user's state folder, in the plain JSON of a basket with full paths. It goes when the work is
saved or the program ends in good order; what is found at the next start was left by a crash.
"""

from __future__ import annotations

import json
import os
from dataclasses import dataclass
from pathlib import Path

from foldbasket.baskets.basket import Basket
from foldbasket.baskets.files import decode, encode
from foldbasket.errors import BasketError
from foldbasket.whole import write_whole

SECONDS = 30
"""How often unsaved work is written aside."""


@dataclass(frozen=True)
class Recovered:
    """Work left by a crash: the basket, the file it belonged to (None when never saved), and where it was found."""

    basket: Basket
    path: Path | None
    found: Path


def folder() -> Path:
    """Where unsaved work is written aside."""
    import platformdirs

    return Path(platformdirs.user_state_dir("fold-basket")) / "recovery"


def write_aside(basket: Basket, path: Path | None) -> None:
    """Writes the work of this process aside, in place of what was there before."""
    target = _own()
    target.parent.mkdir(parents=True, exist_ok=True)
    content = json.dumps({"path": str(path) if path else None, "basket": encode(basket).decode()})
    write_whole(target, content.encode())


def forget(found: Path | None = None) -> None:
    """Removes what this process wrote aside, or what was found."""
    (found or _own()).unlink(missing_ok=True)


def left_over() -> list[Recovered]:
    """Work that programs no longer running have left, newest first. Files that cannot be read are left alone."""
    recovered = []
    for file in sorted(folder().glob("*.json"), key=lambda each: each.stat().st_mtime, reverse=True):
        if file.stem.isdecimal() and not _is_running(int(file.stem)):
            try:
                read = json.loads(file.read_text("utf-8"))
                basket = decode(read["basket"].encode(), file.name)
                recovered.append(Recovered(basket, Path(read["path"]) if read["path"] else None, file))
            except (OSError, ValueError, KeyError, TypeError, AttributeError, BasketError):
                continue
    return recovered


def _own() -> Path:
    return folder() / f"{os.getpid()}.json"


def _is_running(process: int) -> bool:
    try:
        os.kill(process, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
