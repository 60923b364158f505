"""Bands: numbers cut into fewer members, one file a kind. Begin at `band.py`."""
