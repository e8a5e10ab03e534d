"""Settings of Commons, the catalog server: the same installation, but its own schema, addresses and pages, and nobody signs in.

INDEXA_COMMONS_HOSTS        host names it answers to, comma-separated
INDEXA_COMMONS_LOOKS_EVERY  seconds from one look for catalogs to be fetched to the next (30)
"""

import os

from indexa.adapters.installation_key import installation_key
from indexa.config.settings import base
from indexa.config.settings.base import *  # noqa: F403  all that is not set here

INSTALLED_APPS = [
    "django.contrib.contenttypes",
    "django.contrib.staticfiles",
    "django.contrib.humanize",
    "csp",
    "indexa.commons",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "csp.middleware.CSPMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
]
ROOT_URLCONF = "indexa.commons.site"
TEMPLATES = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {"context_processors": ["django.template.context_processors.request"]},
    }
]
DATABASES = {
    "default": base.DATABASES["default"] | {"OPTIONS": {"connect_timeout": 5, "options": "-c search_path=commons"}}
}
ALLOWED_HOSTS = base._listed("INDEXA_COMMONS_HOSTS", "127.0.0.1,localhost,[::1]")
STATICFILES_DIRS = [("ui", base.ROOT / "src" / "indexa" / "ui" / "static" / "ui")]
STATIC_ROOT = base.DATA_DIR / "commons-static"
COMMONS_TOKEN_FILE = base.DATA_DIR / "keys" / "commons.token"
COMMONS_TOKEN = installation_key(COMMONS_TOKEN_FILE)
"""Whoever delivers a catalog sends it."""
COMMONS_LOOKS_EVERY = float(os.environ.get("INDEXA_COMMONS_LOOKS_EVERY", "30"))
DATA_UPLOAD_MAX_MEMORY_SIZE = 64 * 1024 * 1024
