"""What the first window waits for."""

import subprocess
import sys

SHOWN = """
import sys
from foldbasket.desktop.shell.app import made
app = made()
from foldbasket.desktop.shell.window import MainWindow
window = MainWindow()
window.show()
app.processEvents()
print([name for name in ("numpy", "pyarrow", "scipy", "numba", "matplotlib", "babel", "sqlglot") if name in sys.modules])
"""


def test_the_first_window_loads_nothing_that_works_on_data():
    shown = subprocess.run([sys.executable, "-c", SHOWN], capture_output=True, text=True, check=True)
    assert shown.stdout.strip() == "[]"
