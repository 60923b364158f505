"""The chart of the fold in view: shown, pointed at, and its room beside the grid."""
