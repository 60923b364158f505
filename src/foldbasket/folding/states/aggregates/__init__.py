"""Aggregates, one file a family. To add one: a class in a file of its own here, entered with `aggregate.aggregate`.

Definitions follow SQL (ISO/IEC 9075): blanks are left out, and over no values all but the counts are blank.
"""
