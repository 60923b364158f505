"""Cards: everything that can be done to the selected word, at the right of the report."""
