"""Reports to start from, proposed from what the data are: one file a kind or two. Begin at `proposing.py`.

To add one: a class in a file of its own here, entered with `starter.starter`.
"""
