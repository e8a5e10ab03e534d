"""Addresses of models, tables, and what is edited in their margin."""

from django.urls import path, re_path

from indexa.modeling import views

app_name = "modeling"
urlpatterns = [
    path("models/", views.model_list, name="list"),
    path("models/<int:pk>/", views.overview, name="overview"),
    path("models/<int:pk>/tables/", views.tables, name="tables"),
    path("models/<int:pk>/relationships/", views.relationships, name="relationships"),
    path("models/<int:pk>/objects/", views.model_objects, name="objects"),
    path("models/<int:pk>/history/", views.history, name="history"),
    path("models/<int:pk>/gone/", views.gone_list, name="gone"),
    path("models/<int:pk>/file/", views.model_file, name="file"),
    path("models/<int:pk>/delete/", views.delete, name="delete"),
    path("tables/<int:pk>/", views.table, name="table"),
    path("tables/<int:pk>/margin/", views.table_margin, name="table-margin"),
    path("columns/<int:pk>/margin/", views.column_margin, name="column-margin"),
    re_path(
        r"^edit/(?P<target>column|table)/(?P<pk>\d+)/(?P<field>business_name|definition)/$",
        views.edit,
        name="edit",
    ),
]
