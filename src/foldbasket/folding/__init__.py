"""Folding, the heart: from a source and a fold's description to a report, in stages that are each kept.

source + record filters -> selection -> codes -> cube -> frame -> report
"""
