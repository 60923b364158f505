"""Links: many-to-one paths between tables, and any reachable field as a column aligned to the base records."""
