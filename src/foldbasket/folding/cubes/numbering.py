"""Numbers for combinations of codes, where there are too many possible ones for each to have a place of its own."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt
import pyarrow as pa

from foldbasket.tables.column import Codes
from foldbasket.tables.progress import Progress

Mask = npt.NDArray[np.bool_]


def numbered(
    codes: Sequence[Codes], sizes: Sequence[int], mask: Mask | None, progress: Progress
) -> tuple[npt.NDArray[np.int32], tuple[npt.NDArray[np.int32], ...]]:
    """Numbers the combinations of codes that occur: (number per record, codes per number). Fields are taken in as fit 62 bits."""
    chosen = slice(None) if mask is None else mask
    ids: npt.NDArray[np.int64] = codes[0][chosen].astype(np.int64)
    many = sizes[0]
    taken: list[npt.NDArray[np.int32]] = []
    pending = [sizes[0]]
    for code, size in zip(codes[1:], sizes[1:], strict=True):
        progress.step("Grouping", 0.0)
        if many > (1 << 62) // size:
            ids, different = _encoded(ids)
            taken = _extend(taken, different, pending)
            many, pending = len(different), []
        ids = ids * size + code[chosen]
        many *= size
        pending.append(size)
    ids, different = _encoded(ids)
    taken = _extend(taken, different, pending)
    if mask is None:
        return ids.astype(np.int32), tuple(taken)
    full = np.full(len(mask), len(different), np.int32)
    full[mask] = ids
    return full, tuple(taken)


def _encoded(keys: npt.NDArray[np.int64]) -> tuple[npt.NDArray[np.int64], npt.NDArray[np.int64]]:
    """Keys as numbers from 0 and the different keys, by hashing rather than sorting."""
    encoded = pa.array(keys).dictionary_encode()
    return encoded.indices.to_numpy().astype(np.int64), encoded.dictionary.to_numpy()


def _extend(
    taken: list[npt.NDArray[np.int32]], different: npt.NDArray[np.int64], pending: Sequence[int]
) -> list[npt.NDArray[np.int32]]:
    """Codes per number for all fields so far; `pending` are the sizes of the fields in `different` since the last numbering."""
    newest: list[npt.NDArray[np.int32]] = []
    rest = different
    for size in reversed(pending):
        rest, code = np.divmod(rest, size)
        newest.insert(0, code.astype(np.int32))
    return [code[rest] for code in taken] + newest
