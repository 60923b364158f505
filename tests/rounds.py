"""How many random cases the oracles draw: a quarter of what each asks for by default, all or many times as many for `make oracle`, always the same ones."""

import math
import os

USUAL = 0.25
"""The suite is run many times a day and is to end within minutes."""


def seeds(count: int) -> range:
    """The seeds of one test; ORACLE_ROUNDS multiplies their number."""
    return range(math.ceil(count * float(os.environ.get("ORACLE_ROUNDS", USUAL))))
