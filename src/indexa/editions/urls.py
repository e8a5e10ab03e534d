"""Addresses of the place Editions."""

from django.urls import path

from indexa.editions import choice_views, push_views, views

app_name = "editions"
urlpatterns = [
    path("", views.edition_list, name="list"),
    path("new/", choice_views.new, name="new"),
    path("<int:pk>/choices/", choice_views.change, name="choices"),
    path("logo/", choice_views.logo, name="logo"),
    path("<int:pk>/", views.page, name="page"),
    path("latest/", views.latest, name="latest"),
    path("latest/<path:path>", views.latest, name="latest-file"),
    path("destinations/", push_views.destinations, name="destinations"),
    path("destinations/new/", push_views.destination_form, name="destination-new"),
    path("destinations/<int:pk>/", push_views.destination_form, name="destination"),
    path("destinations/<int:pk>/remove/", push_views.remove, name="destination-remove"),
    path("pushes/<int:pk>/", push_views.pushed, name="pushed"),
    path("<int:pk>/push/", push_views.push, name="push"),
    path("templates/<int:pk>/remove/", choice_views.remove_template, name="template-remove"),
    path("signing/", views.signing, name="signing"),
    path("<int:pk>/ask/", views.ask, name="ask"),
    path("<int:pk>/decide/", views.decide, name="decide"),
    path("<int:pk>/withdraw/", views.withdraw, name="withdraw"),
    path("<int:pk>/record.json", views.record, name="record"),
    path("<int:pk>/changes/", views.differences, name="differences"),
    path("<int:pk>/publish/", views.publish, name="publish"),
    path("<int:pk>/discard/", views.discard, name="discard"),
    path("<int:pk>/share/", views.share, name="share"),
    path("<int:pk>/links/<int:link>/revoke/", views.revoke, name="revoke"),
    path("<int:pk>/zip/", views.download, name="zip"),
    path("<int:pk>/read/", views.read, name="read"),
    path("<int:pk>/read/<path:path>", views.read, name="read-file"),
]
