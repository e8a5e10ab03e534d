"""Runs risky work in a child process whose memory and time are bounded: templates of users, files, strange servers.

A child answers calls one after the other and is kept for the next one. One that takes too long, too much memory or
sends too much is killed, and the next call starts another. The child inherits neither Indexa's settings nor a home
folder, so that no driver finds a password file, a service file or the address of Indexa's own database there.
"""

from __future__ import annotations

import os
import select
import struct
import subprocess
import sys
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Lock
from typing import Any

import msgspec

from indexa.adapters.errors import SourceError
from indexa.core.errors import CoreError

_HEAD = struct.Struct("<cI")
_LARGEST_MESSAGE = 256 * 1024**2
_PRIVATE = ("INDEXA_", "PG", "DJANGO_", "MYSQL_", "AWS_", "ORACLE_WALLET")
_SOURCES = str(Path(__file__).resolve().parents[2])


class ConfinedError(Exception):
    """The child was stopped: `reason` is "time", "memory" or "ended"."""

    def __init__(self, reason: str) -> None:
        super().__init__({"time": "it took too long", "memory": "it took too much memory"}.get(reason, "it broke off"))
        self.reason = reason


class Call(msgspec.Struct):
    """What a child is asked to do, and for how many seconds it may work."""

    task: str
    arguments: tuple[Any, ...]
    seconds: float


class Raised(msgspec.Struct):
    """An error that the child's work ended with; `kind` is "source" or "core"."""

    kind: str
    code: str
    message: str
    hint: str = ""


class Child:
    """One child process, started when it is first needed. Used by one thread at a time."""

    def __init__(self, megabytes: int) -> None:
        self._megabytes = megabytes
        self._process: subprocess.Popen[bytes] | None = None

    def __enter__(self) -> Child:
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    def call(self, task: str, *arguments: Any, seconds: float) -> Any:
        """Return what a task returns, as plain values.

        Raises ConfinedError where it was stopped, SourceError and CoreError where the task raised them.
        """
        (answer,) = self.stream(task, *arguments, seconds=seconds)
        return answer

    def stream(self, task: str, *arguments: Any, seconds: float) -> Iterator[Any]:
        """Yield what a task yields, as it comes. Raises as `call` does."""
        process = self._running()
        deadline = time.monotonic() + seconds
        whole = False
        try:
            self._send(process, msgspec.msgpack.encode(Call(task, arguments, seconds)))
            while (received := self._receive(process, deadline))[0] == b"I":
                yield msgspec.msgpack.decode(received[1])
            whole = True
            if received[0] == b"X":
                _raise(msgspec.msgpack.decode(received[1], type=Raised))
        finally:
            if not whole:  # stopped in the middle: what else it sends belongs to nobody
                self.stop()

    def stop(self) -> None:
        """End the process; the next call starts another."""
        process, self._process = self._process, None
        if process is not None:
            process.kill()
            process.communicate()

    def _running(self) -> subprocess.Popen[bytes]:
        if self._process is None or self._process.poll() is not None:
            self.stop()
            environment = {name: value for name, value in os.environ.items() if not name.startswith(_PRIVATE)}
            self._process = subprocess.Popen(
                [sys.executable, "-m", "indexa.adapters.confined_child", str(self._megabytes)],
                env=environment | {"PYTHONPATH": _SOURCES, "HOME": "/nonexistent"},
                stdin=subprocess.PIPE,
                stdout=subprocess.PIPE,
                start_new_session=True,
            )
        return self._process

    def _send(self, process: subprocess.Popen[bytes], message: bytes) -> None:
        assert process.stdin is not None
        try:
            process.stdin.write(_HEAD.pack(b"C", len(message)) + message)
            process.stdin.flush()
        except BrokenPipeError:
            raise ConfinedError("ended") from None

    def _receive(self, process: subprocess.Popen[bytes], deadline: float) -> tuple[bytes, bytes]:
        kind, length = _HEAD.unpack(self._read(process, _HEAD.size, deadline))
        if kind == b"M" or length > _LARGEST_MESSAGE:
            raise ConfinedError("memory")
        return kind, self._read(process, length, deadline)

    def _read(self, process: subprocess.Popen[bytes], wanted: int, deadline: float) -> bytes:
        assert process.stdout is not None
        pipe, pieces = process.stdout.fileno(), []
        poll = select.poll()
        poll.register(pipe, select.POLLIN | select.POLLHUP)
        while wanted:
            if not poll.poll(max(0, int((deadline - time.monotonic()) * 1000))):
                raise ConfinedError("time")
            piece = os.read(pipe, min(wanted, 1 << 20))
            if not piece:
                raise ConfinedError("ended")
            pieces.append(piece)
            wanted -= len(piece)
        return b"".join(pieces)


def _raise(raised: Raised) -> None:
    if raised.kind == "source":
        raise SourceError(raised.code, raised.message, raised.hint)
    error = CoreError(raised.message)
    error.code = raised.code
    raise error


class _Kept:
    """Children of this process that wait for the next call."""

    def __init__(self) -> None:
        self.lock, self.pid, self.idle = Lock(), os.getpid(), dict[int, list[Child]]()


_MOST_KEPT = 2
_kept = _Kept()


@contextmanager
def kept_child(megabytes: int) -> Iterator[Child]:
    """Lend a child with this much memory, a warm one where there is one, and keep it for the next caller."""
    global _kept
    if _kept.pid != os.getpid():  # a forked process has no claim on its parent's children
        _kept = _Kept()
    with _kept.lock:
        idle = _kept.idle.setdefault(megabytes, [])
        child = idle.pop() if idle else Child(megabytes)
    try:
        yield child
    finally:
        with _kept.lock:
            spare = len(idle) >= _MOST_KEPT
            if not spare:
                idle.append(child)
        if spare:
            child.stop()
