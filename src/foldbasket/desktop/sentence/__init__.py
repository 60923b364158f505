"""The sentence over the report. Begin at `view.py`."""
