"""The `voskar` command, and `python -m voskar`."""

from __future__ import annotations

import gc
import signal


def main() -> None:
    """Entry point: runs the command line and leaves with its exit code."""
    gc.disable()
    answers = signal.getsignal(signal.SIGINT) is signal.default_int_handler  # or it is told to ignore it
    if answers:
        signal.signal(signal.SIGINT, signal.SIG_DFL)  # until the program can report it itself
    from voskar.commands.main import main as run

    gc.freeze()  # imported modules stay, so the garbage collector can skip them
    gc.enable()
    if answers:
        signal.signal(signal.SIGINT, signal.default_int_handler)
    run()


if __name__ == "__main__":
    main()
