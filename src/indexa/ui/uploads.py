"""Uploads are refused by their size before they are taken in."""

from __future__ import annotations

from typing import Any

from django.conf import settings
from django.core.exceptions import RequestDataTooBig
from django.core.files.uploadhandler import FileUploadHandler


class BoundedUploadHandler(FileUploadHandler):
    """Raises RequestDataTooBig for a request that is larger than settings.UPLOAD_LIMIT."""

    def handle_raw_input(
        self, input_data: Any, META: Any, content_length: int, boundary: Any, encoding: Any = None
    ) -> None:
        """Look at the length that the request gives itself."""
        if content_length > settings.UPLOAD_LIMIT:
            raise RequestDataTooBig(f"An upload may hold at most {settings.UPLOAD_LIMIT // 1024**2} MB.")

    def receive_data_chunk(self, raw_data: bytes, start: int) -> bytes:
        """Pass every piece on to the handler that keeps it."""
        return raw_data

    def file_complete(self, file_size: int) -> None:
        """Keep nothing."""
