"""The app of building models by hand, deriving them, and writing their DDL."""

from django.apps import AppConfig


class BuildingConfig(AppConfig):
    name = "indexa.building"
    label = "building"
