"""`./indexa read ...`: one module a command, loaded when it is asked for."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence

from indexa.cli import check, infer, names, read


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command. Returns 0, or 1 when it failed for a reason that is told in plain words."""
    parser = argparse.ArgumentParser(prog="indexa", description="Indexa's headless commands.")
    commands = parser.add_subparsers(dest="command", required=True)
    read.add_arguments(commands.add_parser("read", help="read any source into a model file", description=read.__doc__))
    for name, add, run, tells in (
        ("split", names.add_split, names.split, "names on standard input to words, as JSON lines"),
        ("expand", names.add_expand, names.expand, "names to business names, as JSON lines"),
        ("check", check.add_arguments, check.run, "the names of a model or script against a naming standard"),
        (
            "infer",
            infer.add_arguments,
            infer.run,
            "what a model does not declare: keys and relationships, as proposals",
        ),
        ("mine", names.add_mine, names.mine, "models to proposals for the wordbook, as JSON lines"),
    ):
        command = commands.add_parser(name, help=tells, description=run.__doc__)
        add(command)
        command.set_defaults(run=run)
    given = parser.parse_args(arguments)
    done: int = given.run(given) if hasattr(given, "run") else read.run(given)
    return done


if __name__ == "__main__":
    sys.exit(main())
