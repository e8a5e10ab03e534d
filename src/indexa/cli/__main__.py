"""`./indexa read ...`: one module a command, loaded when it is asked for."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from typing import Any

from indexa.cli import building, check, comparing, diagrams, documents, infer, names, read

EXAMPLES = {
    "read": (
        "read dump.sql -o billing.json",
        "read schema.sql.gz -d oracle --include 'BILL*' -o billing.json",
        "read postgresql://reader@127.0.0.1/billing -s bill -s cust -o billing.json",
    ),
    "split": ("split < names.txt",),
    "expand": ("expand billing.json -w words.csv",),
    "mine": ("mine billing.json works.json",),
    "infer": ("infer billing.json -o proposals.jsonl",),
    "layout": ("layout billing.json --tables 'bill.*' --depth keys -o layout.json",),
    "render": (
        "render billing.json --suggested --to svg -o billing.svg",
        "render schema.sql --to mermaid --depth keys -o schema.mmd",
        "render billing.json works.json --to docx --title 'Data dictionary' -o dictionary.docx",
        "render dump.sql --to html --without undescribed -o pages/",
    ),
    "ddl": (
        "ddl billing.json --dialect oracle -o billing.sql",
        "ddl dump.sql --dialect postgresql --drop-first -o new.sql",
    ),
    "derive": (
        "derive care.json --to oracle -s standard.json --schema care -o care-oracle.json",
        "derive dump.sql --to logical -w words.csv -o logical.json",
    ),
    "compare": (
        "compare billing-2025.json billing.json --ignore comments --fail-on difference",
        "compare old.sql postgresql://reader@host/billing --format markdown -o differences.md",
    ),
    "change": (
        "change old.sql new.sql --dialect postgresql -o change.sql --revert back.sql --report steps.json",
        "change billing.json wanted.json --dialect mariadb --allow-drops -o change.sql",
    ),
    "check": ("check billing.json -s standard.json -w words.csv", "check dump.sql -f sarif -o names.sarif"),
}


def main(arguments: Sequence[str] | None = None) -> int:
    """Run a command. Returns 0, or 1 when it failed for a reason that is told in plain words."""
    parser = argparse.ArgumentParser(prog="indexa", description="Indexa's headless commands.")
    commands = parser.add_subparsers(dest="command", required=True)
    read.add_arguments(_command(commands, "read", "read any source into a model file", read.__doc__))
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
        ("layout", diagrams.add_layout, diagrams.layout, "the places of a diagram's tables and lines, as JSON"),
        (
            "render",
            documents.add_render,
            documents.render,
            "documentation as pages, documents and open formats, or a diagram",
        ),
        ("ddl", building.add_ddl, building.ddl, "the script that makes a model on a platform"),
        ("derive", building.add_derive, building.derive, "a logical model to a physical one, or the other way round"),
        ("compare", comparing.add_compare, comparing.compare, "what differs between two models"),
        (
            "change",
            comparing.add_change,
            comparing.change,
            "the script that brings a database from one model to another",
        ),
        ("mine", names.add_mine, names.mine, "models to proposals for the wordbook, as JSON lines"),
    ):
        command = _command(commands, name, tells, run.__doc__)
        add(command)
        command.set_defaults(run=run)
    given = parser.parse_args(arguments)
    done: int = given.run(given) if hasattr(given, "run") else read.run(given)
    return done


def _command(commands: Any, name: str, summary: str, description: str | None) -> argparse.ArgumentParser:
    parser: argparse.ArgumentParser = commands.add_parser(
        name,
        help=summary,
        description=description,
        epilog="examples:\n" + "\n".join(f"  ./indexa {line}" for line in EXAMPLES[name]),
        formatter_class=argparse.RawDescriptionHelpFormatter,
    )
    return parser


if __name__ == "__main__":
    sys.exit(main())
