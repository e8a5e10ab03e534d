"""Addresses of the place Reconcile."""

from django.urls import path

from indexa.reconcile import views

app_name = "reconcile"
urlpatterns = [
    path("<int:pk>/", views.page, name="page"),
    path("<int:pk>/decide/", views.decide, name="decide"),
    path("<int:pk>/apply/", views.apply, name="apply"),
    path("<int:pk>/discard/", views.discard, name="discard"),
    path("<int:pk>/<int:number>/", views.margin, name="margin"),
    path("<int:pk>/<int:number>/reject-rename/", views.reject_rename, name="reject-rename"),
    path("<int:pk>/<int:number>/match/", views.pair_rename, name="match"),
]
