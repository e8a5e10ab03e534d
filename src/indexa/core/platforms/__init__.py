"""The platforms Indexa can read. A folder or module here is all that a new one takes."""

from __future__ import annotations

import pkgutil
from collections.abc import Callable, Iterable, Mapping
from importlib import import_module
from importlib.resources import files
from typing import Any, Protocol

import msgspec

from indexa.core.errors import CoreError
from indexa.core.intake.balance import balance
from indexa.core.intake.choice import OBJECT_KINDS, Choice, SchemaCount
from indexa.core.intake.receipt import Receipt
from indexa.core.model import Model
from indexa.core.scripts.dialect import Dialect


class Session(Protocol):
    """An open connection to a source, handed in by an adapter."""

    def fetch(self, query: str, parameters: Mapping[str, Any]) -> Iterable[tuple[Any, ...]]:
        """Run one catalog query and yield its rows as they come."""

    def begin_snapshot(self) -> None:
        """Let all later queries see one and the same state of the source."""


Tick = Callable[[str, int, int], None]
"""Told what is read now, how many steps are done, and of how many. May raise to call the reading off."""


class UnknownPlatformError(CoreError):
    """A platform was asked for that there is no module for."""

    code = "platform.unknown"

    def __init__(self, name: str, known: list[str]) -> None:
        super().__init__(f"There is no platform {name!r}. Known: {', '.join(known)}.")


class RefusedError(CoreError):
    """The source would not run a query of its own catalog; the message is what it said."""

    code = "platform.refused"


class NotLiveError(CoreError):
    """A platform that is read from scripts only was asked to read a live database."""

    code = "platform.not-live"

    def __init__(self, label: str) -> None:
        super().__init__(f"{label} is read from scripts. Hand in a script of its definitions.")


class Platform(msgspec.Struct, kw_only=True):
    """What differs from one database platform to another, mostly data. Does no I/O of its own."""

    name: str
    label: str
    dialect: Dialect
    families: Mapping[str, str] = {}
    """Words of its own for types, each with its family, beside those that all platforms share."""
    kinds: tuple[str, ...] = tuple(OBJECT_KINDS)
    """The object kinds that it has and that can be chosen."""
    has_kit: bool = False
    """Whether its folder holds a field kit, kit.sql."""
    cannot: tuple[str, ...] = ()
    """What a reading of it does not tell, in sentences for the receipt and the documentation."""

    def count(self, session: Session) -> list[SchemaCount]:
        """Count what each schema holds."""
        raise NotLiveError(self.label)

    def limits(self, session: Session) -> list[str]:
        """Say, in sentences, what the login's rights will keep from being read. Nothing where that can't be told before."""
        del session
        return []

    def read(self, session: Session, choice: Choice, tick: Tick, name: str) -> tuple[Model, Receipt]:
        """Build the model of what was chosen."""
        raise NotLiveError(self.label)

    def balance(self, session: Session, receipt: Receipt, choice: Choice) -> None:
        """Note what the source holds and the reading did not bring, so that counts by kind add up."""
        balance(receipt, self.count(session), choice)

    def table_names(self, session: Session, choice: Choice) -> list[tuple[str, str, bool]]:
        """List schema, name and whether it is a view, of what the choice takes; nothing else is read."""
        raise NotLiveError(self.label)

    def family(self, type_name: str) -> str:
        """Sort an exact type into a family."""
        from indexa.core.type_families import family

        return family(type_name, self.families)

    def kit(self) -> str:
        """Return the text of the platform's field kit."""
        return files(f"{__name__}.{self.name}").joinpath("kit.sql").read_text("utf-8")


def names() -> list[str]:
    """Names of all platforms, sorted."""
    return sorted(module.name for module in pkgutil.iter_modules(__path__))


def dialect_of(name: str) -> Dialect | None:
    """Return the dialect of a platform; None where a model has no platform, or one that is not known here."""
    return get(name).dialect if name in names() else None


def get(name: str) -> Platform:
    """Load one platform, and only that one."""
    if name not in names():
        raise UnknownPlatformError(name, names())
    platform: Platform = import_module(f"{__name__}.{name}").PLATFORM
    return platform


def family_of(platform: str, type_name: str) -> str:
    """Sort an exact type into a family, also of a platform that there is no module for."""
    if platform in names():
        return get(platform).family(type_name)
    from indexa.core.type_families import family

    return family(type_name, {})


def label_of(platform: str) -> str:
    """Return what people call a platform; of one that there is no module for, its name."""
    return get(platform).label if platform in names() else platform
