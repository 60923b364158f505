"""What is drawn, as numbers."""

import numpy as np
from PyQt6.QtGui import QImage, QPainter

HIGH = 60


def inked(font, wide, paint):
    """The grey of each dot, 255 for paper, of what `paint` draws in a font; shape (60, wide)."""
    image = QImage(wide, HIGH, QImage.Format.Format_Grayscale8)
    image.fill(0xFF)
    painter = QPainter(image)
    painter.setFont(font)
    paint(painter)
    painter.end()
    bits = image.constBits()
    bits.setsize(image.sizeInBytes())
    return np.frombuffer(bits, np.uint8).reshape(HIGH, image.bytesPerLine())[:, :wide].astype(int)
