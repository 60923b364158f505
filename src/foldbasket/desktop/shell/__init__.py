"""The window around the views: start, menus, workspace, spine, facts, help, and the boundary for errors. Begin at `app.py`."""
