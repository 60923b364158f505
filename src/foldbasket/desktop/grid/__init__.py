"""The grid: a report's geometry, its painter, and the view that scrolls, selects and takes drops."""
