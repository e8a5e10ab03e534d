"""The app of reviews and comments."""

from django.apps import AppConfig


class ReviewingConfig(AppConfig):
    name = "indexa.reviewing"
    label = "reviewing"
