"""The keeper: what dies is started again after growing pauses, and nothing is left behind when it is told to stop."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from unittest import TestCase

KEEPER = Path(__file__).resolve().parents[2] / "tools" / "keeper.py"


class KeeperTests(TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def keep(self, **commands: str) -> subprocess.Popen[bytes]:
        words: list[str] = []
        for name, code in commands.items():
            words += [name, sys.executable, "-u", "-c", code, "--"]
        keeper = subprocess.Popen(
            [sys.executable, str(KEEPER), "--log-folder", str(self.folder), "--pid-folder", str(self.folder), *words]
        )
        self.addCleanup(keeper.wait)
        self.addCleanup(keeper.kill)
        return keeper

    def log(self, name: str) -> list[str]:
        path = self.folder / f"{name}.log"
        return path.read_text().splitlines() if path.exists() else []

    def until(self, holds: Callable[[], bool], seconds: float = 15) -> None:
        deadline = time.monotonic() + seconds
        while not holds():
            self.assertLess(time.monotonic(), deadline, self.log("steady") + self.log("dying"))
            time.sleep(0.05)

    def test_what_dies_is_started_again_after_growing_pauses_and_nothing_else_is_touched(self) -> None:
        keeper = self.keep(
            steady="import os, time; print('up', os.getpid()); time.sleep(60)",
            dying="print('dies'); raise SystemExit(3)",
        )
        self.until(lambda: self.log("dying").count("dies") >= 3)
        pauses = [line.split()[-2] for line in self.log("dying") if line.startswith("keeper:")]
        self.assertEqual(pauses[:2], ["1", "2"])
        self.assertEqual(len([line for line in self.log("steady") if line.startswith("up")]), 1)
        os.kill(int((self.folder / "steady.pid").read_text()), signal.SIGKILL)
        self.until(lambda: len([line for line in self.log("steady") if line.startswith("up")]) == 2)
        self.assertEqual(oct((self.folder / "steady.log").stat().st_mode & 0o777), "0o600")
        keeper.terminate()
        self.assertEqual(keeper.wait(15), 0)

    def test_a_stubborn_process_and_its_children_end_with_the_keeper(self) -> None:
        stubborn = (
            "import os, signal, subprocess, sys, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); "
            "child = subprocess.Popen([sys.executable, '-c', 'import time; time.sleep(60)']); "
            "print('up', os.getpid(), child.pid); time.sleep(60)"
        )
        keeper = self.keep(steady=stubborn)
        self.until(lambda: bool(self.log("steady")))
        pids = [int(word) for word in self.log("steady")[0].split()[1:]]
        keeper.terminate()
        self.assertEqual(keeper.wait(25), 0)
        self.until(lambda: not any(_runs(pid) for pid in pids))

    def test_when_the_keeper_is_killed_its_processes_are_told(self) -> None:
        keeper = self.keep(steady="import os, time; print('up', os.getpid()); time.sleep(60)")
        self.until(lambda: bool(self.log("steady")))
        pid = int(self.log("steady")[0].split()[1])
        keeper.kill()
        self.until(lambda: not _runs(pid))


def _runs(pid: int) -> bool:
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except (OSError, IndexError):
        return False
    return state not in "ZX"
