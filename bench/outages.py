"""Web server and job worker through outages of the database of five seconds each: no job lost, every page back."""

from __future__ import annotations

import argparse
import os
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.core.files.uploadedfile import SimpleUploadedFile
from django.db import connections

from bench.load import PORT, ROOT, Visitor, prepare, services_answer
from bench.schemas import build, ddl
from indexa.areas.models import Area, Person
from indexa.jobs.models import Job
from indexa.sources import services as sources
from indexa.sources.models import Source

GOAL_SECONDS = 5.0
JOBS_AN_OUTAGE = 6
PAGES = ("{at}", "{at}models/", "{at}dictionary/?q=mtr", "{at}sources/", "{at}names/")


def main(arguments: list[str]) -> None:
    """Print how each outage was survived."""
    parser = argparse.ArgumentParser(prog="./indexa bench outages")
    parser.add_argument("--outages", type=int, default=10)
    parser.add_argument("--seconds", type=float, default=5.0)
    options = parser.parse_args(arguments)
    area = prepare()
    Job.objects.filter(area=area).exclude(state="done").delete()
    script = ";\n".join([*ddl(build(400)), ""]).encode()
    print("| outage | pages answered 503 | other failures | back after s | jobs queued |\n|---|---|---|---|---|")
    first = Job.objects.order_by("-pk").values_list("pk", flat=True).first() or 0
    slowest = 0.0
    with kept():
        visitor = Visitor("steward")
        for number in range(options.outages):
            start_jobs(area, script, number)
            time.sleep(1.5)
            away, other, back = outage(visitor, area, options.seconds)
            slowest = max(slowest, back)
            print(f"| {number + 1} | {away} | {other} | {back:.1f} | {JOBS_AN_OUTAGE} |", flush=True)
        jobs = Job.objects.filter(area=area, pk__gt=first)
        deadline = time.monotonic() + 300
        while jobs.filter(state__in=["waiting", "running"]).exists() and time.monotonic() < deadline:
            time.sleep(1)
        ended = {state: jobs.filter(state=state).count() for state in ("done", "failed", "waiting", "running")}
    for job in jobs.exclude(state="done"):
        print(job.pk, job.title, job.state, job.attempts, job.reason)
    Source.objects.filter(area=area, name__startswith="outage ").delete()
    print(
        f"\njobs: {ended} of {options.outages * JOBS_AN_OUTAGE}; pages back after {slowest:.1f} s at most (goal {GOAL_SECONDS:.0f} s)"
    )


def start_jobs(area: Area, script: bytes, number: int) -> None:
    """Queue scans of scripts: work that reads files and writes to the database."""
    person = Person.objects.get(username="steward")
    for at in range(JOBS_AN_OUTAGE):
        source = Source(
            area=area, name=f"outage {number} {at} {time.time_ns()}", kind=Source.Kind.SCRIPT, platform="postgresql"
        )
        sources.save_upload(source, [SimpleUploadedFile("script.sql", script)], person)


def outage(visitor: Visitor, area: Area, seconds: float) -> tuple[int, int, float]:
    """Stop the database for so long; return how often pages said 503, failed otherwise, and when all were back."""
    cluster = str(ROOT / "tools" / "cluster")
    connections.close_all()
    subprocess.run([cluster, "stop", "bench"], check=True)
    ends, away, other = time.monotonic() + seconds, 0, 0
    while time.monotonic() < ends:
        for status in statuses(visitor, area):
            away += status == 503
            other += status not in (200, 503)
        time.sleep(0.2)
    subprocess.run([cluster, "start", "bench"], check=True, stdout=subprocess.DEVNULL)
    began = time.monotonic()
    while set(statuses(visitor, area)) != {200}:
        time.sleep(0.1)
    return away, other, time.monotonic() - began


def statuses(visitor: Visitor, area: Area) -> list[int]:
    """Return how the pages answer."""
    return [visitor.ask(page.format(at=f"/a/{area.slug}/"))[0] for page in PAGES]


@contextmanager
def kept() -> Iterator[None]:
    """Run worker and web server under the keeper, as `./indexa start` does."""
    sys.path.insert(0, str(ROOT / "tools"))
    import services

    with tempfile.TemporaryDirectory() as folder:
        keeper = [sys.executable, str(ROOT / "tools" / "keeper.py"), "--log-folder", folder]
        environment = os.environ | {"PYTHONPATH": str(ROOT / "src")}
        with subprocess.Popen([*keeper, *services.kept_commands(PORT)], cwd=ROOT, env=environment) as process:
            try:
                services_answer(services)
                yield
            finally:
                process.terminate()
                process.wait()
                for log in sorted(Path(folder).glob("*.log")):
                    lines = log.read_text().splitlines()
                    print(
                        f"{log.name}: {len(lines)} lines; the last: {lines[-1][:160] if lines else ''}", file=sys.stderr
                    )
