"""Settings of the tests: quick password hashing, no manifest of static files."""

from indexa.config.settings.base import *  # noqa: F403
from indexa.config.settings.base import DATA_DIR, DATABASES, LOGGING, STORAGES

TEST_RUNNER = "tests.runner.Runner"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = STORAGES | {
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
ALLOWED_HOSTS = ["*"]
DATABASES = {"default": DATABASES["default"] | {"CONN_MAX_AGE": 0}}
AXES_ENABLED = False
_QUIET = {"level": "CRITICAL"}
LOGGING = LOGGING | {"loggers": {"django.request": _QUIET, "axes": _QUIET, "django.security": _QUIET}}
UPLOAD_DIR = DATA_DIR / "test-uploads"
SOURCE_FOLDERS = [str(DATA_DIR / "test-databases")]
