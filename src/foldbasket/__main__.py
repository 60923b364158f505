"""Lets `python -m foldbasket` do what the command `fold-basket` does."""

import sys

from foldbasket.cli import main

sys.exit(main())
