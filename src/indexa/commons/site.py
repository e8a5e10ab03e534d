"""Addresses of Commons, which is a server of its own."""

from django.urls import path

from indexa.commons import views

urlpatterns = [
    path("", views.home, name="home"),
    path("health/ready", views.ready, name="ready"),
    path("api/catalogs/<slug:name>/", views.catalog, name="api-catalog"),
    path("catalogs/<slug:name>/", views.catalog_page, name="catalog"),
    path("catalogs/<slug:name>/datasets/<path:identifier>", views.dataset_page, name="dataset"),
]
