"""What a destination is, and what a kind of destination can do."""

from __future__ import annotations

import urllib.request
from collections.abc import Callable, Iterable, Mapping
from typing import Any, NamedTuple, Protocol

from indexa.core.errors import CoreError


class PushError(CoreError):
    """A destination that can't be reached, or refused what was sent; the message says why and what to do."""

    code = "push"


class NoRedirect(urllib.request.HTTPRedirectHandler):
    """A secret is sent to the address that was entered, and to no other."""

    def redirect_request(self, *_: Any) -> None:
        """Follow nothing."""


class Place(NamedTuple):
    """Where something is pushed: its address, the name there, and the secret that opens it ("" for none)."""

    address: str
    name: str
    secret: str
    folders: tuple[str, ...] = ()
    """Folders of the server below which a destination may lie."""


class Sent(NamedTuple):
    """What is pushed: the catalog as JSON-LD, and all files of the edition by path."""

    catalog: bytes
    files: Iterable[tuple[str, bytes]]


class Pushed(NamedTuple):
    """What a push changed, or would change, at its destination."""

    added: int
    changed: int
    unchanged: int
    gone: int
    details: tuple[tuple[str, str], ...] = ()
    """What was done ("added", "changed", "gone") with which file or dataset, the first `MOST_DETAILS` of them."""

    @property
    def words(self) -> str:
        """It as a sentence."""
        return f"{self.added:,} added, {self.changed:,} changed, {self.unchanged:,} as before, {self.gone:,} gone"


MOST_DETAILS = 2_000


def compared(known: Mapping[str, object], now: Mapping[str, object]) -> Pushed:
    """Compare the digests by path of what is there and what is to be there."""
    added, gone = sorted(now.keys() - known.keys()), sorted(known.keys() - now.keys())
    changed = sorted(path for path in now.keys() & known.keys() if known[path] != now[path])
    acts = (("added", added), ("changed", changed), ("gone", gone))
    details = tuple((act, path) for act, paths in acts for path in paths)[:MOST_DETAILS]
    return Pushed(len(added), len(changed), len(now) - len(added) - len(changed), len(gone), details)


class Pusher(Protocol):
    """A kind of destination."""

    def test(self, place: Place) -> str:
        """Try whether it can be reached and opened; return what answered. Raises PushError."""

    def plan(self, place: Place, sent: Sent) -> Pushed:
        """Return what a push would change, without changing anything. Raises PushError."""

    def push(self, place: Place, sent: Sent) -> Pushed:
        """Push; the same again changes nothing. Raises PushError."""


class Kind(NamedTuple):
    """A kind of destination: what it is called, what its address looks like, whether it takes a secret, and what pushes to it."""

    label: str
    example: str
    has_secret: bool
    pusher: Pusher


KINDS: dict[str, Kind] = {}


def register(name: str, label: str, example: str, *, has_secret: bool) -> Callable[[type[Pusher]], type[Pusher]]:
    """Make a kind of destination known."""

    def known(pusher: type[Pusher]) -> type[Pusher]:
        KINDS[name] = Kind(label, example, has_secret, pusher())
        return pusher

    return known


def pusher_of(kind: str) -> Pusher:
    """Return what pushes to a kind of destination. Raises PushError for one that is none."""
    if kind not in KINDS:
        raise PushError(f"There is no destination of the kind “{kind[:20]}”.")
    return KINDS[kind].pusher
