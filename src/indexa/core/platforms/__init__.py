"""The platforms Indexa can read. A folder or module here is all that a new one takes."""

from __future__ import annotations

import pkgutil
from collections.abc import Callable, Iterable, Mapping
from importlib import import_module
from typing import Any, Protocol

from indexa.core.errors import CoreError
from indexa.core.intake.choice import Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model


class Session(Protocol):
    """An open connection to a source, handed in by an adapter."""

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run one catalog query and yield its rows as they come."""

    def hold_still(self) -> None:
        """Let all later queries see one and the same state of the source."""


Tick = Callable[[str, int, int], None]
"""Told what is read now, how many steps are done, and of how many. May raise to call the reading off."""


class UnknownPlatformError(CoreError):
    """A platform was asked for that there is no module for."""

    code = "platform.unknown"

    def __init__(self, name: str, known: list[str]) -> None:
        super().__init__(f"There is no platform {name!r}. Known: {', '.join(known)}.")


class Platform(Protocol):
    """What differs from one database platform to another. Does no I/O of its own."""

    label: str

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what each schema holds."""

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""

    def family(self, type_name: str) -> str:
        """Sort an exact type into a family."""


def names() -> list[str]:
    """Names of all platforms, sorted."""
    return sorted(module.name for module in pkgutil.iter_modules(__path__))


def get(name: str) -> Platform:
    """Load one platform, and only that one."""
    if name not in names():
        raise UnknownPlatformError(name, names())
    platform: Platform = import_module(f"{__name__}.{name}").PLATFORM
    return platform
