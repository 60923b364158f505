"""Tables: typed, encoded columns, the readers that make them, and what can be told about each field."""
