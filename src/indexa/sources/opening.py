"""Opening a source: where it really is, whether Indexa may go there, and with which password."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.conf import settings

from indexa.adapters.address import Address
from indexa.adapters.errors import SourceError
from indexa.adapters.files import check_below
from indexa.adapters.hosts import HostRules
from indexa.adapters.live import OTHER, Reading, open_source
from indexa.core.platforms import Tick
from indexa.sources.models import Source
from indexa.sources.secrets import SealBrokenError, unseal
from indexa.sources.uploads import open_upload


def check_host(host: str, port: int) -> None:
    """Raise SourceError unless an administrator of the server allows connections to this host and port."""
    HostRules(settings.SOURCE_HOSTS).check(host, port)


@contextmanager
def reading(source: Source, password: str | None = None, report: Tick = lambda *_: None) -> Iterator[Reading]:
    """Open a source of any kind, read-only; `tell` hears how far a look into an upload is.

    Raises SourceError in plain words, also from within.
    """
    if source.is_upload:
        with open_upload(source, report) as upload:
            yield upload
        return
    with open_source(source.platform, address_of(source), password_of(source, password)) as opened:
        yield opened


def address_of(source: Source) -> Address:
    """Return where a live source or a file is, in the form its driver takes. Raises SourceError where it may not be."""
    if source.kind == Source.Kind.FILE:
        return Address("", 0, str(check_below(source.database, settings.SOURCE_FOLDERS)))
    if source.platform == OTHER:
        return Address(database=_checked_url(source.database))
    check_host(source.host, source.port)
    return Address(source.host, source.port, source.database, source.user, source.tls)


def _checked_url(url: str) -> str:
    from indexa.adapters.sqlalchemy_urls import parse_other, with_path

    other = parse_other(url)
    if other.host:
        check_host(other.host, other.port)
        return url
    real = check_below(str(Path("/") / other.path), settings.SOURCE_FOLDERS)
    return with_path(other, real).url.render_as_string(hide_password=False)


def password_of(source: Source, password: str | None) -> str:
    """Return the password that was entered, else the stored one. Raises SourceError where that one can't be used."""
    if password is not None:
        return password
    try:
        return unseal(source.sealed_password, source.target)
    except SealBrokenError as error:
        raise SourceError("seal", str(error), "Edit the source and enter its password again.") from None
