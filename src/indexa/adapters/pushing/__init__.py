"""Pushing an edition to a shared catalog or a place for files: each kind of destination is a module that registers itself here."""

from indexa.adapters.pushing import folder, git, http_catalog, s3, webdav
from indexa.adapters.pushing.registry import KINDS, Place, Pushed, PushError, Sent, pusher_of

__all__ = [
    "KINDS",
    "Place",
    "PushError",
    "Pushed",
    "Sent",
    "folder",
    "git",
    "http_catalog",
    "pusher_of",
    "s3",
    "webdav",
]
