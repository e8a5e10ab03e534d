"""Settings of the tests: quick password hashing, no manifest of static files."""

from indexa.settings.base import *  # noqa: F403
from indexa.settings.base import LOGGING, STORAGES

TEST_RUNNER = "tests.runner.Runner"
PASSWORD_HASHERS = ["django.contrib.auth.hashers.MD5PasswordHasher"]
STORAGES = STORAGES | {
    "staticfiles": {"BACKEND": "django.contrib.staticfiles.storage.StaticFilesStorage"},
}
ALLOWED_HOSTS = ["*"]
AXES_ENABLED = False
LOGGING = LOGGING | {
    "loggers": {
        "django.request": {"level": "CRITICAL"},
        "axes": {"level": "CRITICAL"},
        "django.security": {"level": "CRITICAL"},
    }
}
