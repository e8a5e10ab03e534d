"""Addresses of the place Sources."""

from django.urls import path

from indexa.sources import code_views, schedule_views, views

app_name = "sources"
urlpatterns = [
    path("", views.source_list, name="list"),
    path("new/", views.source_new, name="new"),
    path("new/<slug:kind>/", views.source_form, name="new-of"),
    path("kit/", views.kit, name="kit"),
    path("presets/", views.preset_list, name="presets"),
    path("presets/export/", views.preset_export, name="preset-export"),
    path("presets/<int:pk>/remove/", views.preset_remove, name="preset-remove"),
    path("<int:pk>/", views.source_page, name="page"),
    path("<int:pk>/edit/", views.source_form, name="edit"),
    path("<int:pk>/choose/", views.choose, name="choose"),
    path("<int:pk>/scan/", views.scan, name="scan"),
    path("<int:pk>/names/", views.chosen_names, name="names"),
    path("<int:pk>/preset/", views.preset_save, name="preset-save"),
    path("<int:pk>/remove/", views.remove, name="remove"),
    path("<int:pk>/schedule/", schedule_views.schedule, name="schedule"),
    path("<int:pk>/rows/", schedule_views.allow_rows, name="allow-rows"),
    path("<int:pk>/codes/", code_views.tables, name="codes"),
    path("<int:pk>/codes/allow/", code_views.allow, name="allow-codes"),
    path("receipts/<int:pk>/", views.receipt, name="receipt"),
]
