"""The app of terms, code lists and domains."""

from django.apps import AppConfig


class GlossaryConfig(AppConfig):
    name = "indexa.glossary"
    label = "glossary"
