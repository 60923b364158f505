"""The kinds of charts, one file a family. To add one: a class in a file of its own here, entered with `kinds.entered`."""
