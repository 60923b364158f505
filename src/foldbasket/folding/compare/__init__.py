"""Comparisons: the cells of a measure turned into shares, differences, running totals, ranks. One file a family.

Computed from the aggregates, totals included, and from nothing else. Where a comparison means nothing the cell is blank: a
difference from something absent, a share of a blank or zero total, a running total on a line that does not name the field.
To add one: a class in a file of its own here, entered with `kinds.entered`.
"""
