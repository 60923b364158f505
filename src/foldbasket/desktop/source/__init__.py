"""The source view: the rows of a table with a profile on each head, the card of findings and mends, and the map of links."""
