"""Work that makes millions of small objects, none in circles, without Python's looking for garbage all the while."""

from __future__ import annotations

import contextlib
import gc
from collections.abc import Iterator


@contextlib.contextmanager
def undisturbed() -> Iterator[None]:
    """No garbage is looked for within, where it was before."""
    if not gc.isenabled():
        yield
        return
    gc.disable()
    try:
        yield
    finally:
        gc.enable()
