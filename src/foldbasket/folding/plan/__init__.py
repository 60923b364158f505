"""The plan of a fold: which table each measure is folded over, and what a cube of it must hold, as plain data. Begin at `plan.py`."""
