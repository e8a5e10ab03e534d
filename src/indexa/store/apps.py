"""The app of stored models. Its label, which its tables' history knows it by, is that of the app that it came from."""

from django.apps import AppConfig


class StoreConfig(AppConfig):
    name = "indexa.store"
    label = "modeling"
