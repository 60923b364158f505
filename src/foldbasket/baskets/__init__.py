"""Baskets: the document as one immutable value, the edits that change it, its history and its files."""
