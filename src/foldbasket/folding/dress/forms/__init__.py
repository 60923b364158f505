"""Forms of highlights: what becomes of the cells for which a condition holds."""
