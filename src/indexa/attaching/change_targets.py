"""What undo knows of attached files."""

from __future__ import annotations

from indexa.attaching.models import Attachment, record_of
from indexa.changes.targets import TargetKind, register
from indexa.changes.whole_records import RecordField

ATTACHMENT = "attachment"

register(TargetKind(ATTACHMENT, "File", {"record": RecordField("File", Attachment.objects, record_of)}))
