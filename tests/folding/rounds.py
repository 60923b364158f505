"""How many random cases the oracles draw: a few by default, many times as many for `make oracle`, always the same ones."""

import os


def seeds(count: int) -> range:
    """The seeds of one test; ORACLE_ROUNDS multiplies their number."""
    return range(count * int(os.environ.get("ORACLE_ROUNDS", "1")))
