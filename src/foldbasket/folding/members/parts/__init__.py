"""Parts of a date, one file a family. To add one: a class in a file of its own here, entered with `part.part`."""
