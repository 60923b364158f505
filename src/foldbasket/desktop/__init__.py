"""The window: Qt's face of the basket. Views draw the value they are given and emit edits; nothing is computed here."""
