"""Addresses of what is said about objects, below the dictionary."""

from django.urls import path

from indexa.describing import views

app_name = "describing"
urlpatterns = [
    path("", views.aspect_list, name="aspects"),
    path("begin/", views.begin, name="begin"),
    path("new/", views.aspect_form, name="new"),
    path("<int:pk>/", views.aspect_form, name="aspect"),
    path("<int:pk>/remove/", views.remove_aspect, name="remove"),
    path("teams/new/", views.team_form, name="new-team"),
    path("teams/<int:pk>/", views.team_form, name="team"),
    path("teams/<int:pk>/remove/", views.remove_team, name="remove-team"),
    path("of/<slug:level>/<int:object_id>/", views.say, name="say"),
]
