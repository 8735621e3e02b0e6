"""The `aurelon` command as it is installed: `python -m aurelon`."""

from __future__ import annotations

import sys

from aurelon.runs import early


def run() -> None:
    """The entry point."""
    if sys.argv[1:2] == ["run"]:
        early.begin()
    from aurelon.cli import main

    sys.exit(main())


if __name__ == "__main__":
    run()
