"""The app of files that are attached to objects."""

from django.apps import AppConfig


class AttachingConfig(AppConfig):
    name = "indexa.attaching"
    label = "attaching"
