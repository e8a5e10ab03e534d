"""Addresses of attached files."""

from django.urls import path

from indexa.attaching import views

app_name = "attaching"
urlpatterns = [
    path("<slug:target>/<int:pk>/", views.files, name="files"),
    path("<int:pk>/", views.download, name="download"),
]
