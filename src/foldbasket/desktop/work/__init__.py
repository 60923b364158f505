"""The work behind the actions, on words, members, sources, formulas, files and output; the desk as it sees it is in `state/board.py`."""
