"""Addresses of the desk and the lookup."""

from django.urls import path

from indexa.desk import views

app_name = "desk"
urlpatterns = [
    path("", views.page, name="page"),
    path("lookup/", views.lookup, name="lookup"),
    path("people/<int:pk>/", views.person, name="person"),
]
