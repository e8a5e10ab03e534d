"""The files of an edition, kept by content: what is there already is not kept twice."""

from __future__ import annotations

import gzip
import hashlib
from collections.abc import Iterable, Iterator

from indexa.editions.models import Edition, EditionContent, EditionFile
from indexa.jobs.progress import Progress

_AT_ONCE = 400


def keep(content: bytes) -> str:
    """Keep bytes and return their digest."""
    digest = hashlib.sha256(content).hexdigest()
    _keep_all([(digest, content)])
    return digest


def _keep_all(contents: Iterable[tuple[str, bytes]]) -> None:
    wanted = dict(contents)
    there = set(EditionContent.objects.filter(digest__in=wanted).values_list("digest", flat=True))
    EditionContent.objects.bulk_create(
        [
            EditionContent(digest=digest, content=gzip.compress(content, 6, mtime=0), size=len(content))
            for digest, content in wanted.items()
            if digest not in there
        ],
        ignore_conflicts=True,
    )


def replace(edition: Edition, files: Iterator[tuple[str, bytes]], progress: Progress, work: str, total: int) -> str:
    """Give an edition other files, and return the checksum over the names and digests of all."""
    edition.files.all().delete()
    told: list[tuple[str, str]] = []
    batch: list[tuple[str, bytes]] = []

    def write() -> None:
        digests = [(path, hashlib.sha256(content).hexdigest(), content) for path, content in batch]
        _keep_all((digest, content) for _, digest, content in digests)
        EditionFile.objects.bulk_create(
            [EditionFile(edition=edition, path=path, stored_id=digest) for path, digest, _ in digests]
        )
        told.extend((path, digest) for path, digest, _ in digests)
        batch.clear()

    for number, one in enumerate(files):
        batch.append(one)
        if len(batch) >= _AT_ONCE:
            progress.report(work, number, max(total, number))
            write()
    write()
    lines = "".join(f"{digest}  {path}\n" for path, digest in sorted(told))
    return hashlib.sha256(lines.encode()).hexdigest()


def content_of(file: EditionFile) -> bytes:
    """Return the bytes of a file."""
    return gzip.decompress(bytes(file.stored.content))


def bytes_of(digest: str) -> bytes:
    """Return bytes by their digest."""
    return gzip.decompress(bytes(EditionContent.objects.get(digest=digest).content))
