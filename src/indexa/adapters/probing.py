"""What a database holds, asked once and for a short time: what a confined child does for a web page."""

from __future__ import annotations

from typing import Any

import msgspec

from indexa.adapters.address import Address
from indexa.adapters.confined import Child, ConfinedError
from indexa.adapters.errors import SourceError
from indexa.adapters.live import open_source
from indexa.core.intake.choice import Choice, SchemaCount

MEGABYTES = 4096
"""Of address space, of which drivers reserve much more than they use."""
MOST_NAMES = 50_000


class Held(msgspec.Struct):
    """What a source holds by schema, what the login's rights keep from being read, and the names, views marked."""

    schemas: list[SchemaCount]
    limits: list[str]
    names: list[tuple[str, str, bool]]


def probe_source(platform: str, address: Address, password: str, seconds: float) -> Held:
    """Ask a database what it holds, in a process that is ended when the time is over. Raises SourceError."""
    with Child(MEGABYTES) as child:
        try:
            answer = child.call("probe", platform, msgspec.to_builtins(address), password, seconds=seconds)
        except ConfinedError as error:
            if error.reason == "time":
                raise SourceError(
                    "time-out",
                    f"The source did not answer within {seconds:.0f} seconds.",
                    "Check host and port; a firewall may lie between. A large or busy database can be scanned in the background.",
                ) from None
            raise SourceError(
                "broken-off", f"The source could not be looked into: {error}.", "Check the address, and try again."
            ) from None
    return msgspec.convert(answer, Held)


def probe(platform: str, address: dict[str, Any], password: str) -> Any:
    """Open the database and list what it holds, as plain values: what `probe_source` has its child do."""
    with open_source(platform, msgspec.convert(address, Address), password) as opened:
        found = opened.count()
        names = opened.table_names(Choice(tuple(schema.schema for schema in found)))
        return msgspec.to_builtins(Held(found, opened.limits(), names[:MOST_NAMES]))
