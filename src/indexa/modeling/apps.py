"""The app of the pages on which models are looked at and changed."""

from django.apps import AppConfig


class ModelingConfig(AppConfig):
    name = "indexa.modeling"
    label = "model_pages"
