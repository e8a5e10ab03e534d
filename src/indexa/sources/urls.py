"""Addresses of the place Sources."""

from django.urls import path

from indexa.sources import again_views, schedule_views, views

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
    path("again/<int:pk>/", again_views.page, name="again"),
    path("again/<int:pk>/decide/", again_views.decide, name="again-decide"),
    path("again/<int:pk>/take/", again_views.take, name="again-take"),
    path("again/<int:pk>/put-away/", again_views.put_away, name="again-put-away"),
    path("again/<int:pk>/<int:number>/", again_views.margin, name="again-margin"),
    path("again/<int:pk>/<int:number>/apart/", again_views.apart, name="again-apart"),
    path("receipts/<int:pk>/", views.receipt, name="receipt"),
]
