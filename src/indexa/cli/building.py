"""Writes the DDL of a model, and makes a physical model of a logical one or the other way round."""

from __future__ import annotations

import argparse
import datetime as dt
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from indexa.adapters.errors import SourceError
from indexa.cli.failing import run_or_say_why

if TYPE_CHECKING:
    from indexa.core.ddl.script import Script
    from indexa.core.model import Model

DIALECTS = (
    "bigquery", "db2", "duckdb", "firebird", "greenplum", "informix", "mariadb", "mysql", "oracle", "postgresql", "redshift", "snowflake",
    "sqlite", "sqlserver", "teradata",
)  # fmt: skip
_SAME = {"mariadb": "mysql"}


def same_platform(dialect: str) -> str:
    """Return the platform that a dialect is of."""
    return _SAME.get(dialect, dialect)


def add_ddl(parser: argparse.ArgumentParser) -> None:
    """Describe what `ddl` takes."""
    parser.add_argument("model", help="a model file, or anything that `indexa read` takes")
    parser.add_argument("--dialect", required=True, choices=DIALECTS, help="the platform that the script is for")
    parser.add_argument(
        "-o", "--output", default="-", help="where the script goes; a folder with --one-file-per-object"
    )
    parser.add_argument("-s", "--schema", action="append", default=[], help="only this schema; can be given again")
    parser.add_argument("--no-comments", action="store_true", help="without comments on tables and columns")
    parser.add_argument("--if-not-exists", action="store_true", help="leave alone what is there already")
    parser.add_argument("--drop-first", action="store_true", help="drop what would be in the way")
    parser.add_argument("--one-file-per-object", action="store_true", help="a numbered file for each object")
    parser.add_argument(
        "--templates",
        default="",
        metavar="FILE",
        help="how statements are worded: a file that the page of templates exports",
    )
    parser.add_argument(
        "--no-header", action="store_true", help="without the lines that say of what and when it was made"
    )


def add_derive(parser: argparse.ArgumentParser) -> None:
    """Describe what `derive` takes."""
    parser.add_argument("model", help="a model file, or anything that `indexa read` takes")
    parser.add_argument(
        "--to", required=True, metavar="logical|DIALECT", choices=("logical", *DIALECTS),
        help="logical, or the platform of the physical model",
    )  # fmt: skip
    parser.add_argument("-s", "--standard", default="", help="the naming standard, JSON; a plain one if not given")
    parser.add_argument(
        "-w", "--wordbook", action="append", default=[], metavar="FILE", help="a two-column list; may be repeated"
    )
    parser.add_argument("--schema", default="", help="the schema that all tables are in")
    parser.add_argument("--name", default="", help="what the model is called")
    parser.add_argument(
        "--enums", choices=("platform", "check", "lookup"), default="platform", help="how lists of values are held"
    )
    parser.add_argument(
        "--numbering", choices=("model", "identity", "sequence"), default="model", help="what counts keys of one number"
    )
    parser.add_argument(
        "--subtypes",
        choices=("own", "one", "each"),
        default="own",
        help="a table each, in the table of their supertype, or a table each without the supertype",
    )
    parser.add_argument("-o", "--output", default="-", help="where the model file goes; - for standard output")


def ddl(given: argparse.Namespace) -> int:
    """Write the script that makes a model on a platform. What it leaves out is told on standard error. Returns 0, or 1 where it can't."""
    return run_or_say_why(lambda: _ddl(given), failed=1, about=given.model)


def derive(given: argparse.Namespace) -> int:
    """Write a model file of the other layer. What it has otherwise is told on standard error. Returns 0, or 1 where it can't."""
    return run_or_say_why(lambda: _derive(given), failed=1, about=given.model)


def _ddl(given: argparse.Namespace) -> int:
    from indexa.cli.inputs import model_of
    from indexa.core.ddl.script import Options
    from indexa.core.ddl.writing import write_ddl

    model = model_of(given.model)
    missing = set(given.schema) - {table.schema for table in model.tables}
    if missing:
        raise SourceError("no-schema", f"The model has no schema {', '.join(sorted(missing))}.", "Look at its tables.")
    now = dt.datetime.now(dt.UTC).strftime("%-d %B %Y, %H:%M UTC")
    options = Options(
        schemas=frozenset(given.schema), comments=not given.no_comments, if_not_exists=given.if_not_exists,
        drop_first=given.drop_first, header="" if given.no_header else f"{model.name} for {given.dialect}, {now}",
    )  # fmt: skip
    script = write_ddl(model, same_platform(given.dialect), options)
    if given.templates:
        script = _worded(given, script, model)
    if given.one_file_per_object:
        if given.output == "-":
            raise SourceError("no-folder", "Files for each object need a folder.", "Name one with -o.")
        folder = Path(given.output)
        folder.mkdir(parents=True, exist_ok=True)
        for path, text in script.files():
            (folder / path).write_text(text)
    elif given.output == "-":
        sys.stdout.write(script.text())
    else:
        Path(given.output).write_text(script.text())
    for remark in script.remarks:
        print(f"left out: {remark.object}: {remark.what}", file=sys.stderr)
    return 0


def _worded(given: argparse.Namespace, script: Script, model: Model) -> Script:
    import msgspec

    from indexa.adapters.templates import word_confined
    from indexa.core.ddl import templates

    try:
        sources = msgspec.json.decode(Path(given.templates).read_bytes(), type=dict[str, str])
    except (OSError, msgspec.DecodeError) as error:
        raise SourceError("templates", f"{given.templates} is no file of templates: {error}.", "Export one.") from error
    for source in sources.values():
        templates.check(source)
    facts = templates.Facts(platform=given.dialect, model=model.name, date=dt.date.today().isoformat())
    return templates.worded(script, sources, facts, word_confined)


def _derive(given: argparse.Namespace) -> int:
    from indexa.cli.inputs import model_of
    from indexa.core.model.file import write

    model = model_of(given.model)
    made = _logical(given, model) if given.to == "logical" else _physical(given, model)
    content = write(made)
    if given.output == "-":
        sys.stdout.buffer.write(content)
    else:
        Path(given.output).write_bytes(content)
    return 0


def _physical(given: argparse.Namespace, model: Model) -> Model:
    from indexa.adapters.templates import render_confined
    from indexa.cli.inputs import standard_and_words
    from indexa.core.logical.options import DeriveOptions
    from indexa.core.logical.physical import derive_physical

    standard, stack = standard_and_words(given.standard, given.wordbook)
    derived = derive_physical(
        model, same_platform(given.to), standard, stack, name=given.name or model.name, schema=given.schema,
        renderer=render_confined, options=DeriveOptions(enums=given.enums, numbering=given.numbering, subtypes=given.subtypes),
    )  # fmt: skip
    for note in derived.notes:
        print(note, file=sys.stderr)
    return derived.model


def _logical(given: argparse.Namespace, model: Model) -> Model:
    """Return the logical model of a physical one, with business names as far as the wordbooks have the words."""
    from indexa.cli.inputs import standard_and_words
    from indexa.core.logical.derive import derive_logical
    from indexa.core.naming.translating import Translator

    _give_ids(model)
    made = derive_logical(model, given.name or f"{model.name} logical")
    if given.standard or given.wordbook:
        translator = Translator(standard_and_words(given.standard, given.wordbook)[1])
        for entity in made.tables:
            entity.business_name = translator.translate(entity.name)
            for attribute, words in zip(
                entity.columns, translator.translate_all(c.name for c in entity.columns), strict=True
            ):
                attribute.business_name = words
    return made


def _give_ids(model: Model) -> None:
    number = 0
    for table in model.tables:
        number += 1
        table.id = table.id or f"t{number}"
        for column in table.columns:
            number += 1
            column.id = column.id or f"c{number}"
