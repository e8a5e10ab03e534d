"""Static files with their hash in the name, compressed once."""

from typing import Any

from whitenoise.compress import Compressor
from whitenoise.storage import CompressedManifestStaticFilesStorage


class GzipManifestStorage(CompressedManifestStaticFilesStorage):  # type: ignore[misc]  # whitenoise has no types
    """whitenoise's storage without brotli, which takes minutes on the shipped files."""

    # Our own modules import each other by their hashed names; packages' files are left as they are.
    patterns = (
        *CompressedManifestStaticFilesStorage.patterns,
        ("ui/*.js", CompressedManifestStaticFilesStorage._js_module_import_aggregation_patterns[1]),
    )

    def create_compressor(self, **options: Any) -> Compressor:
        return Compressor(use_brotli=False, **options)
