"""`python -m aventrik`, and where the command `aventrik` begins: the signals first, then everything else."""

from __future__ import annotations

import sys

from .cli.stopping import ending_when_told


def start() -> int:
    """Runs the program on the arguments of the process; returns its exit code."""
    with ending_when_told(sys.argv[1:]):
        from .cli.main import main, standard_streams

        standard_streams()
        return main()


if __name__ == "__main__":
    sys.exit(start())
