"""Where the command `fold-basket` begins, and `python -m foldbasket`. Imports nothing that takes time before it can be interrupted without a word."""

import os
import signal
import sys
from types import FrameType

INTERRUPTED = 130


def _end(_: int, __: FrameType | None) -> None:
    os.write(2, b"fold-basket: interrupted\n")
    os._exit(INTERRUPTED)


def main() -> int:
    """Run the command, and end without a traceback however it is interrupted. Returns the exit code."""
    if signal.getsignal(signal.SIGINT) is signal.default_int_handler:
        signal.signal(signal.SIGINT, _end)  # while modules load there is nothing to put away
    from foldbasket.cli import main as run

    if signal.getsignal(signal.SIGINT) is _end:
        signal.signal(signal.SIGINT, signal.default_int_handler)
    try:
        code = run()
    except KeyboardInterrupt:  # while the last one was being told
        code = INTERRUPTED
    sys.unraisablehook = lambda _: None  # what libraries cannot put away as Python ends was told already
    if code == INTERRUPTED:
        os._exit(code)  # threads that are still at work are not waited for
    return code


if __name__ == "__main__":
    sys.exit(main())
