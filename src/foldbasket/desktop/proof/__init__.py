"""The drawer that proves a cell. Begin at `drawer.py`."""
