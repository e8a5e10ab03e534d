"""Addresses of reviews and comments, below the dictionary."""

from django.urls import path

from indexa.reviewing import views

app_name = "reviewing"
urlpatterns = [
    path("", views.waiting, name="waiting"),
    path("seen/", views.seen, name="seen"),
    path("<int:pk>/decide/", views.decide, name="decide"),
    path("of/<slug:target>/<int:pk>/", views.about, name="about"),
]
