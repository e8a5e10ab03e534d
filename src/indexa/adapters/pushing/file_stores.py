"""Places for files: what they have in common. Only what is new or changed is sent; what is gone is taken away; nothing else is touched."""

from __future__ import annotations

import hashlib
import json
from contextlib import AbstractContextManager
from typing import Protocol

from indexa.adapters.pushing.registry import Place, Pushed, Sent, compared

LIST = "indexa-edition.json"
"""The file with the digests of all others that a push put there. It is written last: a push that broke off is done again."""


class FileStore(Protocol):
    """An open place for files."""

    def get(self, path: str) -> bytes | None:
        """Return a file, None where there is none. Raises PushError."""

    def put(self, path: str, content: bytes) -> None:
        """Write a file. Raises PushError."""

    def delete(self, path: str) -> None:
        """Take a file away, if it is there. Raises PushError."""


class FilePusher:
    """Pushes files to a kind of place that `open` opens."""

    def open(self, place: Place) -> AbstractContextManager[FileStore]:
        """Open the place. Raises PushError."""
        raise NotImplementedError

    def test(self, place: Place) -> str:
        """Write a file and take it away again."""
        with self.open(place) as store:
            store.put(".indexa-test", b"Indexa tries whether it may write here.")
            store.delete(".indexa-test")
        return f"{place.address} can be written to."

    def plan(self, place: Place, sent: Sent) -> Pushed:
        """Compare with what was pushed before."""
        with self.open(place) as store:
            return compared(_known(store), {path: _digest(content) for path, content in sent.files})

    def push(self, place: Place, sent: Sent) -> Pushed:
        """Send what is new or changed, then take away what is gone."""
        with self.open(place) as store:
            known = _known(store)
            now: dict[str, str] = {}
            for path, content in sent.files:
                now[path] = _digest(content)
                if known.get(path) != now[path]:
                    store.put(path, content)
            for path in known.keys() - now.keys():
                store.delete(path)
            outcome = compared(known, now)
            if known != now:
                store.put(LIST, json.dumps(now, sort_keys=True).encode())
            return outcome


def _known(store: FileStore) -> dict[str, str]:
    try:
        found = json.loads(store.get(LIST) or b"{}")
    except ValueError:
        return {}
    names = found.items() if isinstance(found, dict) else ()
    return {str(path): str(digest) for path, digest in names if is_plain(str(path))}


def is_plain(path: str) -> bool:
    """Return whether a path stays below where it is put."""
    return not path.startswith("/") and ".." not in path.split("/") and "\\" not in path


def _digest(content: bytes) -> str:
    return hashlib.sha256(content).hexdigest()
