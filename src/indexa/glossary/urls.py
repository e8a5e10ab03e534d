"""Addresses of terms, code lists, domains and rules, below the dictionary."""

from django.urls import path, re_path

from indexa.glossary import views

app_name = "glossary"
_KIND = "(?P<kind>terms|lists|domains|rules)"
urlpatterns = [
    path("columns/<int:pk>/", views.carried, name="carried"),
    path("rules/of/<slug:target>/<int:pk>/", views.rules_of, name="rules-of"),
    path("lists/<int:pk>/codes.csv", views.codes_file, name="codes-file"),
    re_path(rf"^{_KIND}/$", views.item_list, name="list"),
    re_path(rf"^{_KIND}/new/$", views.item_form, name="new"),
    re_path(rf"^{_KIND}/accept/$", views.accept, name="accept"),
    re_path(rf"^{_KIND}/(?P<pk>\d+)/$", views.item_page, name="item"),
    re_path(rf"^{_KIND}/(?P<pk>\d+)/edit/$", views.item_form, name="edit"),
    re_path(rf"^{_KIND}/(?P<pk>\d+)/delete/$", views.delete, name="delete"),
    re_path(rf"^{_KIND}/(?P<pk>\d+)/members/$", views.add_members, name="members"),
]
