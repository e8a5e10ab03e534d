"""Settings for the type checker, which has to know the apps of both servers."""

from pathlib import Path

from indexa.config.settings import commons, test
from indexa.config.settings.test import *  # noqa: F403  all that is not set here

INSTALLED_APPS = [*test.INSTALLED_APPS, "indexa.commons"]
COMMONS_TOKEN: str = commons.COMMONS_TOKEN
COMMONS_TOKEN_FILE: Path = commons.COMMONS_TOKEN_FILE
COMMONS_LOOKS_EVERY: float = commons.COMMONS_LOOKS_EVERY
