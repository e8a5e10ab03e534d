"""The app of the dictionary."""

from django.apps import AppConfig


class DictionaryConfig(AppConfig):
    name = "indexa.dictionary"
    label = "dictionary"
