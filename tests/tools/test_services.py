"""Starting and stopping: a busy port is passed over, a process id that is not ours is not touched."""

from __future__ import annotations

import os
import signal
import socket
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from unittest.mock import patch

from django.test import SimpleTestCase

ROOT = Path(__file__).resolve().parents[2]
sys.path.insert(0, str(ROOT / "tools"))

import services  # noqa: E402  the tools are no package


class ServiceTests(SimpleTestCase):
    def setUp(self) -> None:
        folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        for name, path in {"RUN": folder / "run", "LOGS": folder / "log"}.items():
            self.enterContext(patch.object(services, name, path))
        self.enterContext(patch("sys.stderr"))

    def launch(self, code: str = "import time; time.sleep(60)") -> int:
        services.launch("sleeper", [sys.executable, "-c", code], dict(os.environ))
        pid = services.pid_of("sleeper")
        assert pid
        self.addCleanup(services.end, "sleeper")
        return pid

    def test_a_service_is_known_ended_and_gone(self) -> None:
        pid = self.launch()
        self.assertTrue(services.end("sleeper"))
        self.assertIsNone(services.pid_of("sleeper"))
        self.assertFalse(services.end("sleeper"))
        self.assertFalse(Path(f"/proc/{pid}/cwd").exists() and Path(f"/proc/{pid}/status").read_text().find("Z (") < 0)

    def test_one_that_was_killed_is_seen_as_not_running(self) -> None:
        os.kill(self.launch(), signal.SIGKILL)
        deadline = time.monotonic() + 5
        while services.pid_of("sleeper") is not None:
            self.assertLess(time.monotonic(), deadline)

    def test_one_that_does_not_listen_to_a_polite_request_is_ended_all_the_same(self) -> None:
        stubborn = (
            "import signal, time; signal.signal(signal.SIGTERM, signal.SIG_IGN); print(flush=True); time.sleep(60)"
        )
        with patch.object(services, "SECONDS_TO_STOP", 0.3):
            self.launch(stubborn)
            time.sleep(0.3)
            services.end("sleeper")
        self.assertIsNone(services.pid_of("sleeper"))

    def test_a_number_that_belongs_to_another_program_is_left_alone(self) -> None:
        other = subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"])
        self.addCleanup(other.wait)
        self.addCleanup(other.kill)
        services.RUN.mkdir(parents=True)
        (services.RUN / "web.pid").write_text(str(other.pid))
        self.assertIsNone(services.pid_of("web"))
        self.assertFalse(services.end("web"))
        self.assertIsNone(other.poll())

    def test_a_busy_port_is_passed_over_and_the_choice_is_remembered(self) -> None:
        with socket.socket() as taken:
            taken.bind(("127.0.0.1", 0))
            taken.listen()
            busy = taken.getsockname()[1]
            chosen = services.choose_port(busy)
            self.assertNotEqual(chosen, busy)
            self.assertEqual(services.choose_port(None), chosen)
        self.assertEqual(services.choose_port(busy), busy)


class EntryPointTests(SimpleTestCase):
    def run_command(self, *arguments: str) -> subprocess.CompletedProcess[str]:
        return subprocess.run([ROOT / "indexa", *arguments], capture_output=True, text=True, check=False)

    def test_help_lists_every_command_and_an_unknown_one_is_refused(self) -> None:
        shown = self.run_command("help").stdout
        for command in ("start", "stop", "test", "manage", "bench"):
            self.assertIn(f"  {command} ", shown)
        refused = self.run_command("nosuch")
        self.assertEqual(refused.returncode, 2)
        self.assertIn("no command 'nosuch'", refused.stderr)
