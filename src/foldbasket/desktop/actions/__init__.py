"""What the user can do, by name: one file a menu. Begin at `action.py`."""
