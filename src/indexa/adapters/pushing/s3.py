"""A bucket by the S3 interface, of whatever server speaks it."""

from __future__ import annotations

import mimetypes
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any
from urllib.parse import urlsplit

from indexa.adapters.pushing.file_stores import FilePusher, FileStore
from indexa.adapters.pushing.registry import Place, PushError, register


@register("s3", "S3 bucket", "https://storage.example/bucket", has_secret=True)
class S3Bucket(FilePusher):
    """Pushes to a bucket, below a prefix; the secret is "key id:secret key"."""

    @contextmanager
    def open(self, place: Place) -> Iterator[FileStore]:
        """Open the bucket, with its name as a part of the path."""
        import boto3
        from botocore.config import Config
        from botocore.exceptions import BotoCoreError, ClientError

        parts = urlsplit(place.address)
        bucket = parts.path.strip("/")
        key, _, secret = place.secret.partition(":")
        if parts.scheme not in ("http", "https") or not bucket or "/" in bucket:
            raise PushError(
                "The address is that of the server with the bucket behind it: https://storage.example/bucket."
            )
        if not key or not secret:
            raise PushError("The secret is the key's id and the secret key, with a colon between them.")
        config = Config(
            s3={"addressing_style": "path"},
            retries={"max_attempts": 3, "mode": "standard"},
            connect_timeout=10,
            read_timeout=60,
        )
        client = boto3.client(
            "s3", endpoint_url=f"{parts.scheme}://{parts.netloc}", aws_access_key_id=key, aws_secret_access_key=secret,
            region_name="us-east-1", config=config,
        )  # fmt: skip
        try:
            yield _Bucket(client, bucket, place.name)
        except ClientError as error:
            told = error.response.get("Error", {})
            raise PushError(f"{parts.netloc}: {told.get('Code', '')} {told.get('Message', '')}"[:300]) from None
        except BotoCoreError as error:
            raise PushError(f"{parts.netloc} can't be reached: {str(error)[:200]}") from None


class _Bucket:
    def __init__(self, client: Any, bucket: str, prefix: str) -> None:
        self._client, self._bucket, self._prefix = client, bucket, prefix

    def _key(self, path: str) -> str:
        return f"{self._prefix}/{path}"

    def get(self, path: str) -> bytes | None:
        try:
            return bytes(self._client.get_object(Bucket=self._bucket, Key=self._key(path))["Body"].read())
        except self._client.exceptions.NoSuchKey:
            return None

    def put(self, path: str, content: bytes) -> None:
        kind = mimetypes.guess_type(path)[0] or "application/octet-stream"
        self._client.put_object(Bucket=self._bucket, Key=self._key(path), Body=content, ContentType=kind)

    def delete(self, path: str) -> None:
        self._client.delete_object(Bucket=self._bucket, Key=self._key(path))
