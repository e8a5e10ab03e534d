"""Starts and stops what Indexa runs: cluster, job worker, web server. Needs nothing but Python itself.

A service is known by its process id in .local/run and by what that process was started with, so a
number that the system gave to something else is never taken for ours.
"""

from __future__ import annotations

import argparse
import contextlib
import os
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
LOCAL = ROOT / ".local"
RUN, LOGS = LOCAL / "run", LOCAL / "log"
PYTHON = ROOT / ".venv" / "bin" / "python"
DEFAULT_PORT = 8600
SECONDS_TO_START = 60
SECONDS_TO_STOP = 15


def say(text: str) -> None:
    print(f"indexa: {text}", file=sys.stderr, flush=True)


def is_free(port: int) -> bool:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError:
            return False
    return True


def pid_of(service: str) -> int | None:
    """Return the id of a service's process if it runs and is ours."""
    try:
        pid = int((RUN / f"{service}.pid").read_text())
        environment = Path(f"/proc/{pid}/environ").read_bytes().split(b"\0")
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except (OSError, ValueError, IndexError):
        return None
    return pid if state != "Z" and f"INDEXA_SERVICE={ROOT}:{service}".encode() in environment else None


def launch(service: str, command: list[str], environment: dict[str, str]) -> None:
    """Start a service in a session of its own, its output in .local/log."""
    RUN.mkdir(parents=True, exist_ok=True)
    LOGS.mkdir(parents=True, exist_ok=True)
    with (LOGS / f"{service}.log").open("ab") as log:
        process = subprocess.Popen(
            command,
            cwd=ROOT,
            env=environment | {"INDEXA_SERVICE": f"{ROOT}:{service}"},
            stdin=subprocess.DEVNULL,
            stdout=log,
            stderr=log,
            start_new_session=True,
        )
    (RUN / f"{service}.pid").write_text(str(process.pid))
    deadline = time.monotonic() + 2
    # For a moment after its start a process shows no environment yet, by which we know it as ours.
    while pid_of(service) is None and process.poll() is None and time.monotonic() < deadline:
        time.sleep(0.005)


def is_over(pid: int) -> bool:
    """Say whether a process has ended; one of our own is cleared away by that.

    Its environment is no sign: a process that is ending has none any more, and still runs.
    """
    with contextlib.suppress(ChildProcessError):
        os.waitpid(pid, os.WNOHANG)
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
    except (OSError, IndexError):
        return True
    return state in "ZX"


def end(service: str) -> bool:
    """Stop a service with all its processes; true if it was running."""
    pid = pid_of(service)
    if pid is not None:
        for sign, seconds in ((signal.SIGTERM, SECONDS_TO_STOP), (signal.SIGKILL, 5)):
            with contextlib.suppress(ProcessLookupError):
                os.killpg(pid, sign)
            deadline = time.monotonic() + seconds
            while not is_over(pid) and time.monotonic() < deadline:
                time.sleep(0.05)
            if is_over(pid):
                break
    (RUN / f"{service}.pid").unlink(missing_ok=True)
    return pid is not None


def stamp() -> str:
    """Return what changes whenever the code or the lock does: then migrations and files are looked at."""
    newest = max(p.stat().st_mtime_ns for p in (ROOT / "src").rglob("*") if "__pycache__" not in p.parts)
    return f"{newest} {(ROOT / 'requirements' / 'run.txt').stat().st_mtime_ns}"


def answers(port: int) -> bool:
    try:
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/sign-in/", timeout=5) as answer:
            return bool(answer.status == 200)
    except (urllib.error.URLError, OSError):
        return False


def choose_port(wanted: int | None) -> int:
    """Return the wanted port, else the last one, else the default; another one if that is busy."""
    kept = RUN / "web.port"
    port = wanted or (int(kept.read_text()) if kept.exists() else DEFAULT_PORT)
    if not is_free(port):
        free = next(candidate for candidate in range(port + 1, port + 200) if is_free(candidate))
        say(f"port {port} is taken by another program; using {free}")
        port = free
    RUN.mkdir(parents=True, exist_ok=True)
    kept.write_text(str(port))
    return port


def start_mariadb() -> str:
    """Start the demo's MariaDB and return its URL; the demo does without it where it will not start."""
    started = subprocess.run(
        [ROOT / "tools" / "mariadb", "start", "demo"], stdout=subprocess.PIPE, text=True, check=False
    )
    if started.returncode:
        say("the demo's MariaDB did not start; its live source is left out")
    return started.stdout.strip()


def start(options: argparse.Namespace) -> int:
    cluster = subprocess.run(
        [ROOT / "tools" / "cluster", "start", "dev"], stdout=subprocess.PIPE, text=True, check=False
    )
    if cluster.returncode:
        return cluster.returncode
    url = cluster.stdout.strip()
    mariadb = "" if options.empty else start_mariadb()
    environment = os.environ | {
        "INDEXA_DATABASE_URL": url,
        "INDEXA_DEMO_MARIADB_URL": mariadb,
        "PYTHONPATH": str(ROOT / "src"),
        "DJANGO_SETTINGS_MODULE": "indexa.settings.base",
    }
    moved = (RUN / "database.url").exists() and (RUN / "database.url").read_text() != url
    seen, now = RUN / "prepared", f"{stamp()} {'empty' if options.empty else 'demo'}"
    told = seen.read_text() if seen.exists() else ""
    fresh = told.partition("\n")[0] == now
    if not fresh or moved:
        end("worker")
        end("web")
    if not fresh:
        command = [str(PYTHON), "manage.py", "prepare", *(["--empty"] if options.empty else [])]
        prepared = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True, check=False)
        if prepared.returncode:
            say("the database could not be prepared; the cause stands above")
            return prepared.returncode
        print(prepared.stdout, end="") if options.empty else None
        RUN.mkdir(parents=True, exist_ok=True)
        signs = "" if options.empty else prepared.stdout
        seen.write_text(f"{now}\n{signs}")
        told = seen.read_text()
    (RUN / "database.url").write_text(url)
    (RUN / "database.url").chmod(0o600)
    if pid_of("worker") is None:
        launch("worker", [str(PYTHON), "manage.py", "work"], environment)
    kept = RUN / "web.port"
    if options.port and pid_of("web") and kept.read_text() != str(options.port):
        end("web")
    if pid_of("web") is None:
        port = choose_port(options.port)
        gunicorn = [str(ROOT / ".venv" / "bin" / "gunicorn"), "indexa.web.wsgi:application"]
        launch(
            "web",
            [
                *gunicorn,
                "-b",
                f"127.0.0.1:{port}",
                "-w",
                "2",
                "-k",
                "gthread",
                "--threads",
                "8",
                "--timeout",
                "120",
                "--no-control-socket",
            ],
            environment,
        )
    port = int(kept.read_text())
    deadline = time.monotonic() + SECONDS_TO_START
    while not answers(port):
        if time.monotonic() > deadline or pid_of("web") is None:
            say(f"the web server did not come up; its log is {LOGS / 'web.log'}")
            return 1
        time.sleep(0.1)
    print(f"Indexa is ready: http://127.0.0.1:{port}/")
    if signs := told.partition("\n")[2]:
        print("Sign in as (role, name, password):")
        print(signs, end="")
    print("Stop it with ./indexa stop")
    return 0


def stop() -> int:
    for service, words in (("web", "web server"), ("worker", "job worker")):
        if end(service):
            say(f"{words} stopped")
    for kind in ("dev", "test", "bench"):
        subprocess.run([ROOT / "tools" / "cluster", "stop", kind], check=False)
    for kind in ("demo", "test"):
        subprocess.run([ROOT / "tools" / "mariadb", "stop", kind], check=False)
    say("nothing of Indexa is running")
    return 0


def main() -> int:
    parser = argparse.ArgumentParser(prog="./indexa")
    commands = parser.add_subparsers(dest="command", required=True)
    starting = commands.add_parser("start", help="start everything")
    starting.add_argument("--empty", action="store_true", help="without the demo")
    starting.add_argument("--port", type=int, help=f"port of the web server (default {DEFAULT_PORT})")
    commands.add_parser("stop", help="stop everything")
    options = parser.parse_args()
    return start(options) if options.command == "start" else stop()


if __name__ == "__main__":
    sys.exit(main())
