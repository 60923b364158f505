"""Outputs: each takes a report and hands it on in one form. None computes anything."""
