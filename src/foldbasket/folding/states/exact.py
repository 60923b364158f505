"""Whole numbers that stay exact past 64 bits: int64 where that is certain to hold them, else Python's own numbers in arrays of objects.

Whatever adds, subtracts or scales states goes through here, so that no way of calculating wraps around.
"""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
import numpy.typing as npt

SAFE_SUM = 2.0**62
"""Magnitudes that add up to less than this, as reals, add up to less than 2^63 as whole numbers."""


def of_limbs(limbs: Sequence[npt.NDArray[np.int64]]) -> npt.NDArray:
    """Exact sums from those of 32-bit limbs of their values, the lowest first: in 64 bits where no total of any of them can pass those, else Python's own
    numbers, which hold Python's lock while they are added up. Shape of each."""
    most = sum(float(np.abs(limb.astype(np.float64)).sum()) * 2.0 ** (32 * at) for at, limb in enumerate(limbs))
    if most < SAFE_SUM:
        return sum((limb << 32 * at for at, limb in enumerate(limbs[:2])), np.zeros_like(limbs[0]))
    return sum((limb.astype(object) << 32 * at for at, limb in enumerate(limbs)), np.zeros(limbs[0].shape, object))


def summable(values: npt.NDArray) -> npt.NDArray:
    """Return numbers in a type in which every sum of some of them is exact: whole numbers stay int64 where no such sum can pass 64 bits, else they
    become Python's own. Other numbers are returned as they are. Shape unchanged."""
    if values.dtype.kind != "i" or float(np.abs(values.astype(np.float64)).sum()) < SAFE_SUM:
        return values
    return values.astype(object)


def narrowed(values: npt.NDArray) -> npt.NDArray:
    """Return Python's whole numbers as int64 where all of them fit; anything else as it is."""
    if values.dtype != object or any(
        not (isinstance(each, int) and -(1 << 63) <= each < 1 << 63) for each in values.flat
    ):
        return values
    return values.astype(np.int64)


def may_overflow(values: npt.NDArray, times: int) -> bool:
    """Return whether so many times the largest magnitude of whole numbers might pass 64 bits."""
    if not values.size or values.dtype.kind != "i":
        return False
    return max(-int(values.min()), int(values.max())) > (1 << 62) // max(1, times)


def difference(one: npt.NDArray, two: npt.NDArray) -> npt.NDArray:
    """Return one less the other, exactly where both are whole numbers."""
    if "f" not in (one.dtype.kind, two.dtype.kind) and (may_overflow(one, 2) or may_overflow(two, 2)):
        return one.astype(object) - two.astype(object)
    return one - two


def ratio(one: npt.NDArray, two: npt.NDArray, shift: int = 0) -> npt.NDArray[np.float64]:
    """Return one × 10^shift ÷ two, rounded once where both are whole numbers; `two` has no zeros. Shape of both."""
    up, down = 10 ** max(shift, 0), 10 ** max(-shift, 0)
    if "f" in (one.dtype.kind, two.dtype.kind):
        return one.astype(np.float64) * up / (two.astype(np.float64) * down)
    exact_as_reals = not (
        object in (one.dtype, two.dtype) or may_overflow(one, up << 9) or may_overflow(two, down << 9)
    )
    if exact_as_reals:
        return one * up / (two * down)
    pairs = zip(one.ravel().tolist(), two.ravel().tolist(), strict=True)
    return np.array([above * up / (below * down) for above, below in pairs], np.float64).reshape(one.shape)
