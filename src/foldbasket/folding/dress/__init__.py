"""The dressed report: every cell's text and style, resolved once, which is all that the grid, pages and outputs read. Begin at `dressed.py`."""
