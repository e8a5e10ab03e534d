"""The app of Commons: a small catalog server that receives what Indexa publishes."""

from django.apps import AppConfig


class CommonsConfig(AppConfig):
    name = "indexa.commons"
    label = "commons"
