"""Attaching files to objects and detaching them, each a change set; what a file may be is decided here."""

from __future__ import annotations

import hashlib
from pathlib import PurePosixPath

from django.core.files.uploadedfile import UploadedFile
from django.db import transaction

from indexa.areas.models import Area, Person
from indexa.attaching.change_targets import ATTACHMENT
from indexa.attaching.models import AttachedContent, Attachment, record_of
from indexa.changes.recording import record
from indexa.describing import subjects
from indexa.store.errors import EditError

LARGEST = 10 * 1024 * 1024
MOST_OF_ONE = 20
"""Files of one object."""
_LONGEST_NAME = 200
_OFFICE = "application/vnd.openxmlformats-officedocument."
_OPEN = "application/vnd.oasis.opendocument."
TYPES = {
    "pdf": ("application/pdf", b"%PDF-"), "png": ("image/png", b"\x89PNG"), "jpg": ("image/jpeg", b"\xff\xd8\xff"),
    "jpeg": ("image/jpeg", b"\xff\xd8\xff"), "gif": ("image/gif", b"GIF8"), "webp": ("image/webp", b"RIFF"),
    "txt": ("text/plain", b""), "md": ("text/markdown", b""), "csv": ("text/csv", b""), "sql": ("application/sql", b""),
    "json": ("application/json", b""), "docx": (f"{_OFFICE}wordprocessingml.document", b"PK"),
    "xlsx": (f"{_OFFICE}spreadsheetml.sheet", b"PK"), "pptx": (f"{_OFFICE}presentationml.presentation", b"PK"),
    "odt": (f"{_OPEN}text", b"PK"), "ods": (f"{_OPEN}spreadsheet", b"PK"), "odp": (f"{_OPEN}presentation", b"PK"),
    "eml": ("message/rfc822", b""),
}  # fmt: skip
"""By ending: the media type, and how such a file begins. Pages, scripts, archives and drawings with scripts are not among them."""


@transaction.atomic
def attach(*, area: Area, person: Person, target: str, object_id: int, file: UploadedFile[bytes]) -> Attachment:
    """Attach a file. Raises EditError for one that is too large, of a kind that is not taken, or one too many."""
    label = subjects.label_of(area, target, object_id)
    name = _name(file.name or "")
    ending = PurePosixPath(name).suffix.lower().removeprefix(".")
    if ending not in TYPES:
        raise EditError(f"{name}: files of this kind are not taken. Taken are: {', '.join(TYPES)}.")
    if (file.size or 0) > LARGEST:
        raise EditError(
            f"{name} has {(file.size or 0) / 1024**2:.0f} MB; {LARGEST // 1024**2} MB are kept. Attach a link instead."
        )
    if Attachment.objects.filter(area=area, target=target, object_id=object_id).count() >= MOST_OF_ONE:
        raise EditError(f"{label} has {MOST_OF_ONE} files already. Delete one first.")
    content = file.read()
    media_type, begins = TYPES[ending]
    if not content:
        raise EditError(f"{name} is empty.")
    if not content.startswith(begins):
        raise EditError(f"{name} is no {ending.upper()} file, whatever its name says. Save it again as what it is.")
    digest = hashlib.sha256(content).hexdigest()
    AttachedContent.objects.get_or_create(digest=digest, defaults={"content": content})
    with record(area=area, person=person, why=f"Attached {name}") as changes:
        made = Attachment.objects.create(
            area=area, target=target, object_id=object_id, name=name, media_type=media_type, size=len(content), digest=digest, by=person
        )  # fmt: skip
        changes.create(ATTACHMENT, made.pk, f"{label}: {name}", "record", record_of(made))
    return made


def _name(given: str) -> str:
    """Return the last part of a file's name without signs that are none, cut in the middle where it is long."""
    name = "".join(sign for sign in given.replace("\\", "/").rpartition("/")[2] if sign.isprintable()).strip(" .")
    stem, dot, ending = name.rpartition(".")
    return name if len(name) <= _LONGEST_NAME else f"{stem[: _LONGEST_NAME - 12]}{dot}{ending[:10]}"


@transaction.atomic
def delete(*, area: Area, person: Person, attachment: Attachment) -> None:
    """Delete a file; undo brings it back."""
    label = subjects.label_of(area, attachment.target, attachment.object_id)
    with record(area=area, person=person, why=f"Deleted {attachment.name}") as changes:
        changes.delete(ATTACHMENT, attachment.pk, f"{label}: {attachment.name}", "record", record_of(attachment))
        attachment.delete()


def content_of(attachment: Attachment) -> bytes:
    """Return the bytes of a file."""
    return bytes(AttachedContent.objects.values_list("content", flat=True).get(digest=attachment.digest))
