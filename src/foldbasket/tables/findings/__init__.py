"""Findings: what looks wrong in a table before it spoils a total. One file a kind; `findings` is the list of them."""
