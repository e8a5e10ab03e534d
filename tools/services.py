"""Starts and stops what Indexa runs: cluster, job worker, web server. Needs nothing but Python itself.

Worker and web server are kept up by `keeper.py`, in the background (`start`) or in the foreground (`serve`, for a service
manager). What lies in .local/run and .local/log is its owner's alone: it holds addresses, sign-ins and names.

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
from typing import NoReturn

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


def make_folders() -> None:
    """Make the folders of process ids and logs, and close what earlier versions left open to others."""
    os.umask(0o077)
    for folder in (RUN, LOGS):
        folder.mkdir(parents=True, exist_ok=True)
        folder.chmod(0o700)
        for path in folder.iterdir():
            path.chmod(0o600)


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
    make_folders()
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
        with urllib.request.urlopen(f"http://127.0.0.1:{port}/health/ready", timeout=5) as answer:
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
    make_folders()
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


def kept_commands(port: int) -> list[str]:
    """Return what the keeper is told to keep up: the job worker and the web server."""
    worker = ["worker", str(PYTHON), "manage.py", "work"]
    web = ["web", str(ROOT / ".venv" / "bin" / "gunicorn"), "indexa.config.wsgi:application", "-b", f"127.0.0.1:{port}"]
    # Pages are made of Python: more processes than cores keep both busy while the database answers, and few threads
    # in each keep those from waiting for one another.
    processes = str(2 * (os.cpu_count() or 1))
    threads = ["-w", processes, "-k", "gthread", "--threads", "4", "--timeout", "120", "--no-control-socket"]
    # Open connections are spread over the processes, instead of all going to the one that is awake.
    threads += ["--worker-connections", "16"]
    return [*worker, "--", *web, *threads]


def database(*, own: bool = True) -> tuple[str, int]:
    """Return the URL of the database, and 0; where the private cluster does not start, what it ended with."""
    if not own and (url := os.environ.get("INDEXA_DATABASE_URL")):
        return url, 0
    cluster = subprocess.run(
        [ROOT / "tools" / "cluster", "start", "dev"], stdout=subprocess.PIPE, text=True, check=False
    )
    return cluster.stdout.strip(), cluster.returncode


def environment_of(url: str, mariadb: str) -> dict[str, str]:
    """Return the environment of everything that runs Django."""
    return os.environ | {
        "INDEXA_DATABASE_URL": url,
        "INDEXA_DEMO_MARIADB_URL": mariadb,
        "PYTHONPATH": str(ROOT / "src"),
        "DJANGO_SETTINGS_MODULE": "indexa.config.settings.base",
    }


def prepare(environment: dict[str, str], *, empty: bool) -> str | None:
    """Bring database and files up to date where the code is newer; return the sign-ins of the demo, None on failure."""
    url = environment["INDEXA_DATABASE_URL"]
    moved = (RUN / "database.url").exists() and (RUN / "database.url").read_text() != url
    seen, now = RUN / "prepared", f"{stamp()} {'empty' if empty else 'demo'}"
    text = seen.read_text() if seen.exists() else ""
    fresh = text.partition("\n")[0] == now
    if not fresh or moved:
        end_all()
        command = [str(PYTHON), "manage.py", "prepare", *(["--empty"] if empty else [])]
        prepared = subprocess.run(command, cwd=ROOT, env=environment, stdout=subprocess.PIPE, text=True, check=False)
        if prepared.returncode:
            say("the database could not be prepared; the cause stands above")
            return None
        print(prepared.stdout, end="") if empty else None
        text = f"{now}\n{'' if empty else prepared.stdout}"
        seen.write_text(text)
    (RUN / "database.url").write_text(url)
    return text.partition("\n")[2]


def end_all() -> bool:
    """Stop the keeper, and what a keeper that was killed left behind; true if anything ran."""
    return any([end("keeper"), end("web"), end("worker")])


def start(options: argparse.Namespace) -> int:
    make_folders()
    url, failed = database()
    if failed:
        return failed
    environment = environment_of(url, "" if options.empty else start_mariadb())
    signs = prepare(environment, empty=options.empty)
    if signs is None:
        return 1
    kept = RUN / "web.port"
    if pid_of("keeper") is None or (options.port and kept.read_text() != str(options.port)):
        end_all()
        port = choose_port(options.port)
        keeper = [
            sys.executable,
            str(ROOT / "tools" / "keeper.py"),
            "--log-folder",
            str(LOGS),
            "--pid-folder",
            str(RUN),
        ]
        launch("keeper", [*keeper, *kept_commands(port)], environment)
    port = int(kept.read_text())
    deadline = time.monotonic() + SECONDS_TO_START
    while not answers(port):
        if time.monotonic() > deadline or pid_of("keeper") is None:
            say(f"the web server did not come up; its log is {LOGS / 'web.log'}")
            return 1
        time.sleep(0.1)
    print(f"Indexa is ready: http://127.0.0.1:{port}/")
    if signs:
        print("Sign in as (role, name, password):")
        print(signs, end="")
    print("Stop it with ./indexa stop")
    return 0


def serve(options: argparse.Namespace) -> int:
    """Run in the foreground until told to stop: what a service manager starts. Without the demo."""
    make_folders()
    url, failed = database(own=False)
    if failed:
        return failed
    environment = environment_of(url, "")
    if prepare(environment, empty=True) is None:
        return 1
    port = choose_port(options.port)
    say(f"serving http://127.0.0.1:{port}/")
    os.chdir(ROOT)
    keeper = [sys.executable, str(ROOT / "tools" / "keeper.py"), "--pid-folder", str(RUN), *kept_commands(port)]
    return _become(keeper, environment | {"INDEXA_SERVICE": f"{ROOT}:keeper"})


def _become(command: list[str], environment: dict[str, str]) -> NoReturn:
    """Go on as another program under this process's number, which the service manager knows."""
    os.execve(command[0], command, environment)  # noqa: S606


def stop() -> int:
    if end_all():
        say("web server and job worker stopped")
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
    serving = commands.add_parser("serve", help="run in the foreground, for a service manager")
    serving.add_argument("--port", type=int, help=f"port of the web server (default {DEFAULT_PORT})")
    commands.add_parser("stop", help="stop everything")
    options = parser.parse_args()
    return {"start": start, "serve": serve}[options.command](options) if options.command != "stop" else stop()


if __name__ == "__main__":
    sys.exit(main())
