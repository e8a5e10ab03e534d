"""Runs a benchmark: ./indexa bench NAME [options]. Without a name it lists them."""

from __future__ import annotations

import importlib
import os
import sys
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent / "src"))
os.environ["DJANGO_SETTINGS_MODULE"] = "indexa.config.settings.base"

NAMES = {
    "reading": "reading PostgreSQL catalogs into a Model, beside the bare queries and SQLAlchemy's reflection",
    "scripts": "reading scripts, beside one pass of one expression and a general parser; a dump of 200 MB",
    "real_scripts": "scripts of real software, compared with what a server says after loading them",
    "other_catalogs": "reading MariaDB and SQLite, beside their bare catalog queries; starting the headless command",
    "naming": "names out of real software, split and told in full; a million names beside a bare loop",
    "naming_pass": "a naming pass over 200,000 columns: proposed, applied, undone",
    "inferring": "keys and relationships that schemas declare, hidden and found again; 1,000 and 10,000 tables",
    "declared": "schemas that declare most of their references: how many of the sure proposals are right",
    "fitting": "the weights of inference, fitted to a folder of model files and judged on those left out",
    "fitting_rows": "the weights of what rows say, fitted on rows that are made up for these models",
    "reconciliation": "a large source read again of which some tables changed, beside queries and comparison",
    "storing": "storing a model in both layers, beside a bare COPY of the same rows",
    "searching": "searching the dictionary of 1,000,000 columns",
    "publishing": "an edition of 1,000 tables: pages beside joined strings, every document and open format",
    "describing": "1,000,000 columns with owners and classes: filters, one value for many, a sheet out and back",
    "model_file": "writing and reading the model file, beside the library's bare records",
    "load": "fifty people at once over HTTP, without pauses: p50 and p95 of each page",
    "outages": "web server and worker through ten outages of the database: no job lost, every page back",
    "building": "DDL and derived models of 10,000 tables, a key through 1,000 generations",
    "changing": "models of 10,000 tables compared, change scripts, rehearsals; pairs of real versions of a folder",
    "layout": "layouts of diagrams, beside the bare engine: seconds, overlaps, lines through cards, crossings",
    "exporting": "a spreadsheet of 200,000 rows: time beside CSV, and memory",
}

WITHOUT_SERVER = (
    "scripts",
    "other_catalogs",
    "real_scripts",
    "naming",
    "inferring",
    "fitting",
    "fitting_rows",
    "building",
    "changing",
    "layout",
    "publishing",
)


def main() -> None:
    if len(sys.argv) < 2 or sys.argv[1] not in NAMES:
        print("\n".join(f"{name:<12} {words}" for name, words in NAMES.items()))
        return
    if sys.argv[1] in WITHOUT_SERVER:
        importlib.import_module(f"bench.{sys.argv[1]}").main(sys.argv[2:])
        return
    import django
    from django.core.management import call_command

    django.setup()
    call_command("migrate", verbosity=0)
    importlib.import_module(f"bench.{sys.argv[1]}").main(sys.argv[2:])


if __name__ == "__main__":
    main()
