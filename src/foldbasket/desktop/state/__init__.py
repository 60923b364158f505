"""The state of the window, without widgets: the document, what is in view, tables, report. Begin at `desk.py`."""
