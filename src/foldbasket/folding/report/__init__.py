"""The report: axes, margins, cells, and the proof of a cell. Begin at `report.py`."""
