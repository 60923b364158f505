"""Cubes: the groups that occur with their states, made from a plan. Begin at `maker.py`."""
