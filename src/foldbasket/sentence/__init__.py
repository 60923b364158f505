"""The fold as words: the sentence, headings, and the steps in which a report is worked out. Begin at `phrases.py`."""
