"""Addresses of the place Dictionary."""

from django.urls import path, re_path

from indexa.dictionary import concept_views, saved_views, sheet_views, views

app_name = "dictionary"
urlpatterns = [
    path("", views.page, name="page"),
    path("rows/", views.rows, name="rows"),
    path("exact/", views.exact, name="exact"),
    path("letter/", views.letter, name="letter"),
    re_path(r"^export\.(?P<kind>xlsx|csv|csv-bom|md|sheet)$", views.export, name="export"),
    path("views/save/", saved_views.save, name="save-view"),
    path("views/<int:pk>/delete/", saved_views.delete, name="delete-view"),
    path("concepts/", concept_views.concept_list, name="concepts"),
    path("concepts/one/", concept_views.concept, name="concept"),
    path("cells/", views.set_cells, name="set-cells"),
    path("set/", views.set_for_all, name="set"),
    path("sheets/", sheet_views.sheet_list, name="sheets"),
    re_path(r"^sheets/export/(?P<kind>terms|codes)/$", sheet_views.export_all, name="export-all"),
    path("sheets/hand-in/", sheet_views.hand_in, name="hand-in"),
    path("sheets/<int:pk>/", sheet_views.sheet, name="sheet"),
    path("sheets/<int:pk>/decide/", sheet_views.decide, name="decide"),
    path("sheets/<int:pk>/apply/", sheet_views.apply, name="apply"),
    path("sheets/<int:pk>/discard/", sheet_views.discard, name="discard"),
]
