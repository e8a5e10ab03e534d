"""Addresses of building models by hand, deriving them, and their DDL."""

from django.urls import path

from indexa.building import check_views, derive_views, grid_views, object_views, reuse_views, template_views, views
from indexa.building.ddl_views import ddl, ddl_file
from indexa.building.side_by_side import side_by_side

app_name = "building"
urlpatterns = [
    path("models/new/", views.new_model, name="new-model"),
    path("models/<int:pk>/starter/", views.set_starter, name="set-starter"),
    path("models/<int:pk>/derive/", derive_views.derive, name="derive"),
    path("models/<int:pk>/side-by-side/", side_by_side, name="side-by-side"),
    path("models/<int:pk>/checks/", check_views.page, name="checks"),
    path("models/<int:pk>/checks/decide/", check_views.decide, name="decide-fault"),
    path("models/<int:pk>/ddl/", ddl, name="ddl"),
    path("models/<int:pk>/ddl.sql", ddl_file, name="ddl-file"),
    path("models/<int:pk>/build/tables/", views.add_table, name="add-table"),
    path("models/<int:pk>/columns/", grid_views.page, name="columns"),
    path("models/<int:pk>/columns/set/", grid_views.set_values, name="set-cells"),
    path("ddl-templates/", template_views.page, name="templates"),
    path("ddl-templates/preview/", template_views.preview, name="preview-template"),
    path("ddl-templates/export/", template_views.export, name="export-templates"),
    path("ddl-templates/import/", template_views.import_, name="import-templates"),
    path("ddl-templates/<str:kind>/", template_views.page, name="template"),
    path("ddl-templates/<str:kind>/save/", template_views.save, name="save-template"),
    path("models/<int:pk>/build/schemas/", object_views.add_schema, name="add-schema"),
    path("models/<int:pk>/build/objects/<slug:kind>/", object_views.page, name="new-object"),
    path("models/<int:pk>/build/objects/<slug:kind>/<int:object_pk>/", object_views.page, name="object"),
    path("models/<int:pk>/build/relationships/", views.relate, name="relate"),
    path("models/<int:pk>/build/relationships/<int:relationship_pk>/", views.change_relationship, name="relationship"),
    path("tables/<int:table_pk>/build/", views.table_parts, name="table"),
    path("models/<int:pk>/build/similar/", reuse_views.similar_tables, name="similar-tables"),
    path("tables/<int:table_pk>/build/similar/", reuse_views.similar_columns, name="similar-columns"),
    path("tables/<int:table_pk>/build/name/", reuse_views.rename_table, name="rename-table"),
    path("tables/<int:table_pk>/build/denormalise/", reuse_views.denormalise, name="denormalise"),
    path("tables/<int:table_pk>/build/part/", reuse_views.set_part, name="set-part"),
    path("tables/<int:table_pk>/build/copy/", reuse_views.copy_table, name="copy-table"),
    path("tables/<int:table_pk>/build/columns/", views.add_column, name="add-column"),
    path("tables/<int:table_pk>/build/columns/<int:column_pk>/", views.change_column, name="column"),
    path("tables/<int:table_pk>/build/unique/", views.change_unique, name="unique"),
    path("tables/<int:table_pk>/build/delete/", views.delete_table, name="delete-table"),
]
