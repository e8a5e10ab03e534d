"""Addresses of jobs."""

from django.urls import path

from indexa.jobs import views

app_name = "jobs"
urlpatterns = [
    path("", views.job_list, name="list"),
    path("running/", views.running, name="running"),
    path("<int:pk>/", views.job_page, name="page"),
    path("<int:pk>/cancel/", views.cancel, name="cancel"),
    path("<int:pk>/again/", views.run_again, name="again"),
    path("<int:pk>/file/", views.download, name="file"),
]
