"""Real servers on loopback that editions are pushed to: Commons, and Git over HTTPS behind a password, with a certificate of its own."""

from __future__ import annotations

import base64
import datetime as dt
import ipaddress
import os
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from threading import Thread
from typing import Any

from cheroot import wsgi
from cheroot.ssl.builtin import BuiltinSSLAdapter
from cryptography import x509
from cryptography.hazmat.primitives import hashes, serialization
from cryptography.hazmat.primitives.asymmetric import ec
from cryptography.x509.oid import NameOID

from tests.factories import database, server_address

ROOT = Path(__file__).resolve().parents[2]
_PASSED_ON = (
    "REQUEST_METHOD",
    "QUERY_STRING",
    "CONTENT_TYPE",
    "PATH_INFO",
    "HTTP_CONTENT_ENCODING",
    "HTTP_GIT_PROTOCOL",
)


@contextmanager
def free_port() -> Iterator[int]:
    """Yield a port that nobody listens on."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port: int = probe.getsockname()[1]
    yield port


def until_open(port: int) -> None:
    """Wait until somebody listens on a port."""
    for _ in range(100):
        with socket.socket() as probe:
            if probe.connect_ex(("127.0.0.1", port)) == 0:
                return
        time.sleep(0.05)


@contextmanager
def commons() -> Iterator[tuple[str, str, dict[str, str]]]:
    """Run Commons on a database of its own; yields its address, its token, and the environment of its commands."""
    own = server_address()
    with free_port() as port, database("") as name, tempfile.TemporaryDirectory() as folder:
        environment = os.environ | {
            "INDEXA_DATABASE_URL": f"postgresql://{own['user']}:{own['password']}@{own['host']}:{own['port']}/{name}",
            "INDEXA_DATA_DIR": folder, "INDEXA_COMMONS_LOOKS_EVERY": "0.5",
            "DJANGO_SETTINGS_MODULE": "indexa.config.settings.commons", "PYTHONPATH": str(ROOT / "src"),
        }  # fmt: skip
        command = [sys.executable, "manage.py", "commons", "--port", str(port)]
        with subprocess.Popen(
            command, cwd=ROOT, env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE
        ) as server:
            try:
                _wait(f"http://127.0.0.1:{port}/health/ready", server)
                yield f"http://127.0.0.1:{port}", (Path(folder) / "keys" / "commons.token").read_text(), environment
            finally:
                server.terminate()
                server.wait(20)


def _wait(address: str, server: subprocess.Popen[bytes]) -> None:
    for _ in range(300):
        try:
            with urllib.request.urlopen(address, timeout=2):
                return
        except OSError:
            assert server.poll() is None, server.stderr.read().decode() if server.stderr else ""
            time.sleep(0.1)
    raise AssertionError("Commons does not come up")


@contextmanager
def git_over_https(folder: Path, login: str) -> Iterator[tuple[str, Path]]:
    """Serve the bare repositories of a folder by Git's own server; yields the address and the certificate to trust."""
    certificate, key = _certificate(folder)
    with free_port() as port:
        server = wsgi.Server(("127.0.0.1", port), _behind_password(_git(folder), login))
        server.ssl_adapter = BuiltinSSLAdapter(str(certificate), str(key))
        Thread(target=server.safe_start, daemon=True).start()
        until_open(port)
        try:
            yield f"https://127.0.0.1:{port}", certificate
        finally:
            server.stop()


def _git(folder: Path) -> Callable[..., list[bytes]]:
    """Return what hands each request to `git http-backend`."""

    def app(environ: dict[str, Any], start: Callable[..., object]) -> list[bytes]:
        content = environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
        given = {name: environ[name] for name in _PASSED_ON if environ.get(name)}
        own = {
            "GIT_PROJECT_ROOT": str(folder),
            "GIT_HTTP_EXPORT_ALL": "1",
            "REMOTE_USER": "ines",
            "PATH": os.environ["PATH"],
        }
        done = subprocess.run(
            ["git", "-c", "http.receivepack=true", "http-backend"], input=content, capture_output=True, check=True,
            env=given | own | {"CONTENT_LENGTH": str(len(content))},
        )  # fmt: skip
        head, _, body = done.stdout.partition(b"\r\n\r\n")
        headers = [(name, value) for name, _, value in (line.partition(": ") for line in head.decode().split("\r\n"))]
        status = next((value for name, value in headers if name == "Status"), "200 OK")
        start(status, [one for one in headers if one[0] != "Status"])
        return [body]

    return app


def _behind_password(app: Callable[..., list[bytes]], login: str) -> Callable[..., list[bytes]]:
    wanted = "Basic " + base64.b64encode(login.encode()).decode()

    def guarded(environ: dict[str, Any], start: Callable[..., object]) -> list[bytes]:
        if environ.get("HTTP_AUTHORIZATION") != wanted:
            environ["wsgi.input"].read(int(environ.get("CONTENT_LENGTH") or 0))
            start("401 Unauthorized", [("WWW-Authenticate", 'Basic realm="catalog"')])
            return [b"Who?"]
        return app(environ, start)

    return guarded


def _certificate(folder: Path) -> tuple[Path, Path]:
    """Write a certificate for loopback that signs itself, and its key."""
    key = ec.generate_private_key(ec.SECP256R1())
    name = x509.Name([x509.NameAttribute(NameOID.COMMON_NAME, "catalog")])
    now = dt.datetime.now(dt.UTC)
    made = (
        x509.CertificateBuilder()
        .subject_name(name)
        .issuer_name(name)
        .public_key(key.public_key())
        .serial_number(x509.random_serial_number())
        .not_valid_before(now - dt.timedelta(minutes=1))
        .not_valid_after(now + dt.timedelta(hours=1))
        .add_extension(x509.SubjectAlternativeName([x509.IPAddress(ipaddress.ip_address("127.0.0.1"))]), critical=False)
        .add_extension(x509.BasicConstraints(ca=True, path_length=None), critical=True)
        .sign(key, hashes.SHA256())
    )
    certificate, private = folder / "catalog.pem", folder / "catalog.key"
    certificate.write_bytes(made.public_bytes(serialization.Encoding.PEM))
    private.write_bytes(
        key.private_bytes(serialization.Encoding.PEM, serialization.PrivateFormat.PKCS8, serialization.NoEncryption())
    )
    return certificate, private
