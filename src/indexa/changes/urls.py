"""Addresses of undo and redo."""

from django.urls import path

from indexa.changes import views

app_name = "changes"
urlpatterns = [
    path("undo/", views.undo, name="undo"),
    path("redo/", views.redo, name="redo"),
]
