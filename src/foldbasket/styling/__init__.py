"""Styling: number patterns and the like, as plain data. Knows nothing of tables, folds or Qt."""
