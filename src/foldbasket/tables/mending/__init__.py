"""Mends: recorded steps that put data right after it was read, and never touch the file. `mends` is the list of them."""
