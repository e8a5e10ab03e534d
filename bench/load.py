"""Fifty people at once, without pauses, over HTTP: how long each page takes, on the demo and a model of 2,000 tables."""

from __future__ import annotations

import argparse
import http.client
import os
import random
import re
import statistics
import subprocess
import sys
import time
from collections import defaultdict
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Thread
from urllib.parse import urlencode

from django.core.management import call_command
from django.db import transaction

from bench.schemas import build, ddl
from indexa.areas.models import Area
from indexa.core import platforms
from indexa.core.scripts.reader import ScriptFile, read_scripts
from indexa.demo import loading
from indexa.dictionary.models import DictionaryRow
from indexa.jobs.progress import Silent
from indexa.naming.passes.models import NamingPass
from indexa.sources.models import Source
from indexa.store.models import StoredColumn, StoredModel, StoredTable
from indexa.store.storing import store_reading

ROOT = Path(__file__).resolve().parent.parent
PORT = 8699
GOAL_SECONDS = 0.9


def pages(area: Area) -> dict[str, list[str]]:
    """Return the addresses that people are on, by the page; several of those of which there are many."""
    at = f"/a/{area.slug}/"
    models = list(StoredModel.objects.filter(area=area, layer="physical"))
    tables = list(StoredTable.objects.filter(model__in=models).order_by("?")[:40])
    columns = list(StoredColumn.objects.filter(table__model__in=models).order_by("?")[:40])
    source = Source.objects.filter(area=area).first()
    naming = NamingPass.objects.filter(model__area=area).first()
    assert source and naming and models and DictionaryRow.objects.filter(area_id=area.pk).exists()
    words = ["mtr", "acct", "cust name", "dt", "a", "rdg val"]
    htmx = "#htmx"
    return {
        "desk": [at],
        "sources": [f"{at}sources/"],
        "source": [f"{at}sources/{source.pk}/"],
        "models": [f"{at}models/"],
        "model": [f"{at}models/{model.pk}/" for model in models],
        "tables of a model": [f"{at}models/{model.pk}/tables/" for model in models],
        "table": [f"{at}tables/{table.pk}/" for table in tables],
        "history": [f"{at}models/{model.pk}/history/" for model in models],
        "proposals": [f"{at}models/{model.pk}/proposals/" for model in models],
        "dictionary": [f"{at}dictionary/", *(f"{at}dictionary/?{urlencode({'q': word})}" for word in words)],
        "dictionary, as typed": [f"{at}dictionary/?{urlencode({'q': word})}{htmx}" for word in words],
        "margin of a column": [f"{at}columns/{column.pk}/margin/{htmx}" for column in columns],
        "lookup": [f"{at}lookup/?{urlencode({'q': word})}{htmx}" for word in words],
        "running jobs": [f"{at}jobs/running/{htmx}"],
        "wordbook": [f"{at}names/"],
        "naming pass": [f"{at}names/passes/{naming.pk}/"],
        "all names": [f"{at}names/all/"],
        "findings": [f"{at}names/findings/"],
        "editions": [f"{at}editions/"],
        "sign-in": ["/sign-in/"],
    }


def prepare() -> Area:
    """Load the demo, and beside it a model of 2,000 tables in the same area."""
    call_command("collectstatic", verbosity=0, interactive=False)
    loading.load()
    area = Area.objects.get(name=loading.AREA)
    if not StoredModel.objects.filter(area=area, name="large").exists():
        script = ScriptFile("large.sql", ";\n".join([*ddl(build(2000)), ""]).encode())
        model, _ = read_scripts([script], platforms.get("postgresql").dialect, lambda *_: None, "large")
        with transaction.atomic():
            store_reading(area=area, reading=model, logical=None, progress=Silent())
    return area


@contextmanager
def server() -> Iterator[None]:
    """Run the web server as `./indexa start` runs it."""
    sys.path.insert(0, str(ROOT / "tools"))
    import services

    command = services.kept_commands(PORT)
    web = command[command.index("--") + 2 :]
    log = ROOT / ".local" / "bench-web.log"
    environment = os.environ | {"PYTHONPATH": str(ROOT / "src")}
    with (
        log.open("w") as output,
        subprocess.Popen(web, cwd=ROOT, env=environment, stdout=output, stderr=output) as process,
    ):
        try:
            services_answer(services)
            yield
        finally:
            process.terminate()


def services_answer(services: object) -> None:
    """Wait until the server is ready."""
    for _ in range(300):
        if services.answers(PORT):  # type: ignore[attr-defined]
            return
        time.sleep(0.1)
    raise SystemExit("the server did not come up; see .local/bench-web.log")


class Visitor:
    """One person with a browser: signed in, asking for one page after the other."""

    def __init__(self, username: str, cookies: dict[str, str] | None = None) -> None:
        self._connection = http.client.HTTPConnection("127.0.0.1", PORT, timeout=60)
        self.cookies: dict[str, str] = dict(cookies or {})
        if cookies:
            return
        page = self.ask("/sign-in/")[1].decode()
        token = re.search(r'name="csrfmiddlewaretoken" value="([^"]+)"', page)
        assert token
        form = urlencode({"username": username, "password": loading.PASSWORD, "csrfmiddlewaretoken": token[1]})
        status, _ = self.ask("/sign-in/", form)
        assert status == 302, status

    def ask(self, address: str, form: str = "") -> tuple[int, bytes]:
        """Return status and body."""
        headers = {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items())}
        if address.endswith("#htmx"):
            headers["HX-Request"] = "true"
        if form:
            headers |= {"Content-Type": "application/x-www-form-urlencoded", "Referer": f"http://127.0.0.1:{PORT}/"}
        self._connection.request("POST" if form else "GET", address.removesuffix("#htmx"), form or None, headers)
        answer = self._connection.getresponse()
        body = answer.read()
        for cookie in answer.headers.get_all("Set-Cookie") or []:
            name, _, rest = cookie.partition("=")
            self.cookies[name] = rest.partition(";")[0]
        return answer.status, body


def main(arguments: list[str]) -> None:
    """Print how long each page took."""
    parser = argparse.ArgumentParser(prog="./indexa bench load")
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=30)
    parser.add_argument(
        "--alone", action="store_true", help="one person, each page ten times: what a page costs by itself"
    )
    options = parser.parse_args(arguments)
    area = prepare()
    asked = pages(area)
    taken: dict[str, list[float]] = defaultdict(list)
    failures: dict[str, int] = defaultdict(int)

    def visit(cookies: dict[str, str], seed: int, seconds: float, rounds: int) -> None:
        rnd, visitor = random.Random(seed), Visitor("", cookies)
        ends = time.monotonic() + seconds
        while time.monotonic() < ends and rounds:
            rounds -= 1
            for page in rnd.sample(sorted(asked), len(asked)):
                if time.monotonic() > ends:
                    return
                began = time.perf_counter()
                status, _ = visitor.ask(rnd.choice(asked[page]))
                taken[page].append(time.perf_counter() - began)
                failures[page] += status not in (200, 302)

    with server():
        # Signing in takes long on purpose; it is not what is measured.
        people = [Visitor(name).cookies for name in ("reader", "steward", "approver", "administrator")]
        for seed in range(8):
            visit(people[1], seed, 60, 1)  # what each process makes on the first visit is there
        taken.clear()
        count = 1 if options.alone else options.people
        rounds = 10 if options.alone else 1_000_000
        visitors = [
            Thread(target=visit, args=(people[number % 4], number, options.seconds, rounds)) for number in range(count)
        ]
        began = time.monotonic()
        for visitor in visitors:
            visitor.start()
        for visitor in visitors:
            visitor.join()
        seconds = time.monotonic() - began
    print_table(taken, failures, seconds, options.people if not options.alone else 1)


def print_table(taken: dict[str, list[float]], failures: dict[str, int], seconds: float, people: int) -> None:
    """Print p50 and p95 a page, and of all."""
    everything = [one for times in taken.values() for one in times]
    print("| page | answers | p50 ms | p95 ms | failed |\n|---|---|---|---|---|")
    for page, times in sorted(taken.items(), key=lambda item: -_share(item[1], 0.95)):
        print(
            f"| {page} | {len(times)} | {_share(times, 0.5) * 1000:.0f} | {_share(times, 0.95) * 1000:.0f} | {failures[page]} |"
        )
    p95 = _share(everything, 0.95)
    print(
        f"\n{people} people: {len(everything) / seconds:.0f} answers a second, p50 {statistics.median(everything) * 1000:.0f} ms, "
        f"p95 {p95 * 1000:.0f} ms (goal for 50: {GOAL_SECONDS * 1000:.0f} ms), {sum(failures.values())} failed"
    )


def _share(times: list[float], share: float) -> float:
    return sorted(times)[min(len(times) - 1, int(len(times) * share))]
