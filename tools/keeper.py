"""Keeps Indexa's processes up: `keeper.py NAME COMMAND... -- NAME COMMAND...`. Needs nothing but Python itself.

A process that ends is started again after a pause of 1, 2, 4 … 60 seconds; one that ran for half a minute begins with a
pause of one second again. What the processes print goes, line by line, into log files that are rotated (`--log-folder`),
else to standard output. SIGTERM ends all of them with their children, politely at first.
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import ctypes
import logging
import os
import signal
import sys
from logging.handlers import RotatingFileHandler
from pathlib import Path

LONGEST_PAUSE = 60.0
STEADY_SECONDS = 30.0
SECONDS_TO_STOP = 10.0
LOG_BYTES, LOGS_KEPT = 10 * 1024 * 1024, 5
_SET_DEATH_SIGNAL = 1  # PR_SET_PDEATHSIG


def logger_of(name: str, folder: Path | None) -> logging.Logger:
    """Return what takes the lines of one process: a rotated file that only its owner reads, or standard output."""
    logger = logging.getLogger(f"keeper.{name}")
    handler = (
        RotatingFileHandler(folder / f"{name}.log", maxBytes=LOG_BYTES, backupCount=LOGS_KEPT, encoding="utf-8")
        if folder
        else logging.StreamHandler(sys.stdout)
    )
    logger.addHandler(handler)
    logger.setLevel(logging.INFO)
    logger.propagate = False
    return logger


def _end_with_parent() -> None:
    ctypes.CDLL(None).prctl(_SET_DEATH_SIGNAL, signal.SIGTERM)


class Kept:
    """One process that is kept up."""

    def __init__(self, name: str, command: list[str], logger: logging.Logger, pid_file: Path | None) -> None:
        self.name, self._command, self._logger, self._pid_file = name, command, logger, pid_file

    async def keep(self, stopping: asyncio.Event) -> None:
        """Start it, and start it again whenever it ends, until all is to stop."""
        pause = 1.0
        while not stopping.is_set():
            loop = asyncio.get_running_loop()
            started = loop.time()
            await self._run(stopping)
            if stopping.is_set():
                return
            pause = 1.0 if loop.time() - started >= STEADY_SECONDS else pause
            self._logger.info("keeper: %s ended; it is started again in %.0f s", self.name, pause)
            with contextlib.suppress(TimeoutError):
                await asyncio.wait_for(stopping.wait(), pause)
            pause = min(2 * pause, LONGEST_PAUSE)

    async def _run(self, stopping: asyncio.Event) -> None:
        process = await asyncio.create_subprocess_exec(
            *self._command,
            stdin=asyncio.subprocess.DEVNULL,
            stdout=asyncio.subprocess.PIPE,
            stderr=asyncio.subprocess.STDOUT,
            start_new_session=True,
            preexec_fn=_end_with_parent,
            env=os.environ
            | {"INDEXA_SERVICE": f"{os.environ.get('INDEXA_SERVICE', '').rpartition(':')[0]}:{self.name}"},
            limit=1 << 20,
        )
        if self._pid_file:
            self._pid_file.write_text(str(process.pid))
        copying = asyncio.create_task(self._copy(process))
        ended, stop = asyncio.create_task(process.wait()), asyncio.create_task(stopping.wait())
        await asyncio.wait({ended, stop}, return_when=asyncio.FIRST_COMPLETED)
        stop.cancel()
        for sign, seconds in ((signal.SIGTERM, SECONDS_TO_STOP), (signal.SIGKILL, SECONDS_TO_STOP)):
            if ended.done():
                break
            _signal_group(process.pid, sign)
            await asyncio.wait({ended}, timeout=seconds)
        _signal_group(process.pid, signal.SIGKILL)  # what it left behind
        with contextlib.suppress(TimeoutError):
            await asyncio.wait_for(copying, 1.0)

    async def _copy(self, process: asyncio.subprocess.Process) -> None:
        assert process.stdout is not None
        while True:
            try:
                line = await process.stdout.readline()
            except ValueError:  # a line longer than the limit: what of it was read is dropped
                continue
            if not line:
                return
            self._logger.info(line.decode("utf-8", "replace").rstrip("\n"))


def _signal_group(pid: int, sign: signal.Signals) -> None:
    with contextlib.suppress(ProcessLookupError, PermissionError):
        os.killpg(pid, sign)


async def keep_all(kept: list[Kept]) -> None:
    """Keep processes up until SIGTERM or SIGINT."""
    stopping = asyncio.Event()
    for sign in (signal.SIGTERM, signal.SIGINT):
        asyncio.get_running_loop().add_signal_handler(sign, stopping.set)
    await asyncio.gather(*(one.keep(stopping) for one in kept))


def main(arguments: list[str]) -> int:
    """Keep up what the command line names."""
    parser = argparse.ArgumentParser(prog="keeper.py")
    parser.add_argument("--log-folder", type=Path)
    parser.add_argument("--pid-folder", type=Path)
    parser.add_argument("processes", nargs=argparse.REMAINDER, help="NAME COMMAND... -- NAME COMMAND...")
    options = parser.parse_args(arguments)
    os.umask(0o077)
    kept: list[Kept] = []
    group: list[str] = []
    for word in [*options.processes, "--"]:
        if word != "--":
            group.append(word)
        elif group:
            pid_file = options.pid_folder / f"{group[0]}.pid" if options.pid_folder else None
            kept.append(Kept(group[0], group[1:], logger_of(group[0], options.log_folder), pid_file))
            group = []
    asyncio.run(keep_all(kept))
    return 0


if __name__ == "__main__":
    sys.exit(main(sys.argv[1:]))
