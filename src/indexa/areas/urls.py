"""Addresses of an area's members."""

from django.urls import path

from indexa.areas import views

app_name = "areas"
urlpatterns = [
    path("", views.members, name="members"),
    path("<int:pk>/", views.change_member, name="change"),
]
