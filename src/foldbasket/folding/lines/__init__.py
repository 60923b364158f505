"""Trees of members and the lines over them: what layout makes and comparisons read. Begin at `trees.py`."""
