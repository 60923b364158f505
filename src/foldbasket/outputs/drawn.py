"""Outputs that Qt draws: pages and pictures."""

from __future__ import annotations

from foldbasket.outputs.formats import Output, entered

PDF = entered(Output(".pdf", "PDF", "foldbasket.desktop.drawing.pdf", ("table", "chart"), standing=40))
PNG = entered(Output(".png", "Picture", "foldbasket.desktop.drawing.picture", ("table", "chart"), standing=50))
SVG = entered(Output(".svg", "Drawing", "foldbasket.desktop.drawing.vector", ("table", "chart"), standing=52))
