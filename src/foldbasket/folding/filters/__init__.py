"""Record filters, one file a kind or two: which records pass, and the words for it.

A filter picks records before anything is summed. To add one: a class in a file of its own here, entered with `kinds.entered`.
"""
