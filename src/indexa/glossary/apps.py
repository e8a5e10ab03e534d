"""The app of terms, code lists and domains."""

from django.apps import AppConfig


class GlossaryConfig(AppConfig):
    name = "indexa.glossary"
    label = "glossary"

    def ready(self) -> None:
        """Make terms, code lists, domains and rules known as something that can be owned and have files."""
        from indexa.glossary import subject_kinds

        subject_kinds.register_all()
