"""SQL as other programs read it: what servers say differently, and the pieces that filters, formulas and aggregates are said in."""
