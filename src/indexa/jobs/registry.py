"""What can be done in the background: each app says so where it is done, by a decorator, and this app knows none of them.

A module `background` in each app imports the modules in which such functions stand, so that they are found.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, NamedTuple, TypeVar

import msgspec
from django.utils.module_loading import autodiscover_modules

from indexa.jobs.models import Job
from indexa.jobs.progress import Progress

Minutely = TypeVar("Minutely", bound=Callable[[], object])
Run = Callable[[Job, Progress], str]
"""Does the work of a job, telling its progress, and returns the address of the result."""


class Arguments(msgspec.Struct, kw_only=True, forbid_unknown_fields=True):
    """What a kind of job is given: plain values, checked when it is started and again when it is run."""


class JobKind(NamedTuple):
    """A kind of job: what runs, and what it is given."""

    run: Run
    arguments: type[Arguments]
    atomic: bool = True
    """Whether all that it does in the database is kept at its end or not at all."""


class UnknownJobKindError(Exception):
    """No app does this kind of work."""

    def __init__(self, kind: str) -> None:
        super().__init__(f"There is no kind of job called {kind!r}. Known: {', '.join(sorted(_kinds))}.")


_kinds: dict[str, JobKind] = {}
_every_minute: dict[str, Callable[[], object]] = {}


def background(kind: str, arguments: type[Arguments], *, atomic: bool = True) -> Callable[[Run], Run]:
    """Make a function known as what runs for a kind of job. Raises ValueError for a kind that is taken.

    One that is not `atomic` keeps a record of what it did elsewhere as it goes, and is called again where its worker ended.
    """

    def register(run: Run) -> Run:
        known = _kinds.setdefault(kind, JobKind(run, arguments, atomic))
        if known.run is not run:
            raise ValueError(f"Another function runs for jobs of the kind {kind!r}.")
        return run

    return register


def every_minute(run: Minutely) -> Minutely:
    """Have a function called once a minute by the worker."""
    _every_minute[f"{run.__module__}.{run.__qualname__}"] = run
    return run


def kind_of(name: str) -> JobKind:
    """Return a kind of job. Raises UnknownJobKindError."""
    autodiscover_modules("background")
    if name not in _kinds:
        raise UnknownJobKindError(name)
    return _kinds[name]


def is_atomic(name: str) -> bool:
    """Return whether what a kind of job does is kept at its end or not at all; so it is of every kind that says nothing."""
    autodiscover_modules("background")
    return name not in _kinds or _kinds[name].atomic


def check(name: str, arguments: Mapping[str, Any]) -> None:
    """Raise msgspec.ValidationError, which says which one, where arguments are not those of a kind of job."""
    msgspec.convert(dict(arguments), kind_of(name).arguments)


def minutely() -> Mapping[str, Callable[[], object]]:
    """Return what is called once a minute, by name."""
    autodiscover_modules("background")
    return _every_minute
