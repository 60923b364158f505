"""A fold as one SQL statement, for whoever wants its numbers from a server. `statement.py` is the whole, `folding/records.py` what it is about."""
