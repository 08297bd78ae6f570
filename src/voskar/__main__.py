"""The `voskar` command, and `python -m voskar`."""

from __future__ import annotations

import gc
import signal


def main() -> None:
    """Entry point: runs the command line and leaves with its exit code."""
    gc.disable()
    answers = signal.getsignal(signal.SIGINT) is signal.default_int_handler  # or it is told to ignore it
    if answers:
        signal.signal(signal.SIGINT, signal.SIG_DFL)  # without a word, as long as nobody is there to say one
    from voskar.commands.main import main as run

    gc.freeze()  # what was imported stays: nobody need look at it for garbage
    gc.enable()
    if answers:
        signal.signal(signal.SIGINT, signal.default_int_handler)
    run()


if __name__ == "__main__":
    main()
