"""`./indexa read ...`: one module a command, loaded when it is asked for."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from indexa.cli import read


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command. Returns 0, or 1 when it failed for a reason that is told in plain words."""
    parser = argparse.ArgumentParser(prog="indexa", description="Indexa's headless commands.")
    commands = parser.add_subparsers(dest="command", required=True)
    read.add_arguments(commands.add_parser("read", help="read any source into a model file", description=read.__doc__))
    given = parser.parse_args(arguments)
    return read.run(given)


if __name__ == "__main__":
    sys.exit(main())
