"""The child's side of `confined`: bounds itself, then answers calls until its parent is gone."""

from __future__ import annotations

import gc
import os
import resource
import signal
import struct
import sys
from collections.abc import Callable, Iterator
from importlib import import_module
from typing import Any, BinaryIO

import msgspec

from indexa.adapters.confined import Call, Raised
from indexa.adapters.errors import SourceError
from indexa.core.errors import CoreError

TASKS = {
    "render": "indexa.core.naming.patterns:render",
    "word": "indexa.core.ddl.templates:render",
    "spreadsheet": "indexa.adapters.spreadsheets:rows_of",
    "probe": "indexa.adapters.probing:probe",
}
"""What a child can be asked: a function of plain values, or a generator of them."""
_HEAD = struct.Struct("<cI")
_GRACE_SECONDS = 2
"""How long after its time a call is let live; usually the parent has killed the child by then."""


def main(megabytes: int) -> None:
    """Answer calls on standard input."""
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    resource.setrlimit(resource.RLIMIT_AS, (megabytes * 1024**2, megabytes * 1024**2))
    answers = os.fdopen(os.dup(1), "wb")
    os.dup2(os.open(os.devnull, os.O_WRONLY), 1)  # what a driver prints is no answer
    while head := sys.stdin.buffer.read(_HEAD.size):
        call = msgspec.msgpack.decode(sys.stdin.buffer.read(_HEAD.unpack(head)[1]), type=Call)
        # The kernel ends it even where the work never comes back to Python, or where the parent is gone.
        signal.alarm(int(call.seconds) + _GRACE_SECONDS)
        _answer(call, answers)
        signal.alarm(0)


def _answer(call: Call, answers: BinaryIO) -> None:
    try:
        for item in _items(call):
            _send(answers, b"I", msgspec.msgpack.encode(item))
        _send(answers, b"E", b"")
    except MemoryError:
        gc.collect()
        _send(answers, b"M", b"")
    except SourceError as error:
        _send(answers, b"X", msgspec.msgpack.encode(Raised("source", error.code, error.message, error.hint)))
    except CoreError as error:
        _send(answers, b"X", msgspec.msgpack.encode(Raised("core", error.code, str(error))))


def _items(call: Call) -> Iterator[Any]:
    module, _, name = TASKS[call.task].partition(":")
    task: Callable[..., Any] = getattr(import_module(module), name)
    result = task(*call.arguments)
    if isinstance(result, Iterator):
        yield from result
    else:
        yield result


def _send(answers: BinaryIO, kind: bytes, message: bytes) -> None:
    answers.write(_HEAD.pack(kind, len(message)) + message)
    answers.flush()


if __name__ == "__main__":
    main(int(sys.argv[1]))
