"""Reports to start from, as they stand in an empty window. Begin at `view.py`."""
