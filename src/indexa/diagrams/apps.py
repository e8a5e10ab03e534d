"""The app of diagrams."""

from django.apps import AppConfig


class DiagramsConfig(AppConfig):
    name = "indexa.diagrams"
    label = "diagrams"
