"""Fold Basket: pivot and crosstab reports from sales transactions. `cli.py` is where it begins; docs/architecture.md has the map."""

__version__ = "0.1.0"
