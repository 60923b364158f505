"""What the user can do: the list of actions, and the work behind them on words, members, sources, formulas, files. Begin at `actions.py`."""
