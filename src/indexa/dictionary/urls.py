"""Addresses of the place Dictionary."""

from django.urls import path, re_path

from indexa.dictionary import views

app_name = "dictionary"
urlpatterns = [
    path("", views.page, name="page"),
    path("rows/", views.rows, name="rows"),
    path("exact/", views.exact, name="exact"),
    path("letter/", views.letter, name="letter"),
    re_path(r"^export\.(?P<kind>xlsx|csv|csv-bom|md)$", views.export, name="export"),
]
