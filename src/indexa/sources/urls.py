"""Addresses of the place Sources."""

from django.urls import path

from indexa.sources import views

app_name = "sources"
urlpatterns = [
    path("", views.source_list, name="list"),
    path("new/", views.source_form, name="new"),
    path("<int:pk>/", views.source_page, name="page"),
    path("<int:pk>/edit/", views.source_form, name="edit"),
    path("<int:pk>/choose/", views.choose, name="choose"),
    path("<int:pk>/remove/", views.remove, name="remove"),
    path("receipts/<int:pk>/", views.receipt, name="receipt"),
]
