"""Members: the domain of a field, parts of dates, bands, and members without records. Begin at `domain.py`."""
