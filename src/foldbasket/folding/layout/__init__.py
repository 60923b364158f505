"""Layout: from the cubes of a fold to the cells of its report: trees, lines, totals, formulas, order and picking. Begin at `laying.py`."""
