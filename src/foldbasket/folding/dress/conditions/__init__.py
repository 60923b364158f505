"""Conditions of highlights, one file a family. Begin at `thresholds.py`."""
