"""`python -m aventrik`, and where the command `aventrik` begins: the signals first, then everything else."""

from __future__ import annotations

import signal
import sys

if signal.getsignal(signal.SIGINT) is signal.default_int_handler:  # until the program's own handlers stand
    signal.signal(signal.SIGINT, signal.SIG_DFL)

from .cli.stopping import ending_when_told


def start() -> int:
    """Runs the program on the arguments of the process; returns its exit code."""
    with ending_when_told(sys.argv[1:]):
        from .cli.main import main, standard_streams

        standard_streams()
        return main()


if __name__ == "__main__":
    sys.exit(start())
