"""The one way from a basket to an engine that folds it: read, mend, link, calculate. Begin with `prepared.prepare`."""
