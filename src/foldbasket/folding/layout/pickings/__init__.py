"""Pickings of members by a measure, after summing up: one file a kind or a family. Begin at `picking.py`."""
