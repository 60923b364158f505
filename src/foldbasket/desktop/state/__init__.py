"""The state of the window, without widgets: what is in view, tables, report, and which parts changed. `desktop/desk.py` puts it together."""
