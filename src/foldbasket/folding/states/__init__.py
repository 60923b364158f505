"""States that merge, runs and quantities, and the aggregates made of them. Begin at `aggregates/aggregate.py`."""
