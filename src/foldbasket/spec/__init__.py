"""What is asked for, as plain immutable data that knows nothing of how it is done. Begin with `fold.Fold`.

No NumPy, no execution: rules that carry a thing out are found by its kind, in the stage that does it.
"""
