"""The `aurelon` command as it is installed: `python -m aurelon`."""

from __future__ import annotations

import sys

from aurelon.confined import forkserver


def run() -> None:
    """The entry point."""
    if sys.argv[1:2] in (["run"], ["serve"]):
        forkserver.begin()
    from aurelon.cli import main

    sys.exit(main())


if __name__ == "__main__":
    run()
