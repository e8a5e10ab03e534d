"""Addresses of the place Reconcile."""

from django.urls import path

from indexa.reconcile import compare_views, drift_views, script_views, version_views, views

app_name = "reconcile"
urlpatterns = [
    path("", compare_views.comparison_list, name="comparisons"),
    path("start/", compare_views.start, name="start"),
    path("models/<int:pk>/", compare_views.page, name="comparison"),
    path("models/<int:pk>/decide/", compare_views.decide, name="decide-compared"),
    path("models/<int:pk>/again/", compare_views.again, name="compare-again"),
    path("models/<int:pk>/ignore/", compare_views.ignore, name="ignore"),
    path("models/<int:pk>/take/", compare_views.take, name="take"),
    path("models/<int:pk>/report.<slug:form>", compare_views.report, name="report"),
    path("models/<int:pk>/<int:number>/", compare_views.margin, name="compared-margin"),
    path("models/<int:pk>/<int:number>/rename/", compare_views.settle_rename, name="settle-rename"),
    path("versions/<int:pk>/", version_views.page, name="versions"),
    path("versions/<int:pk>/keep/", version_views.keep, name="keep-version"),
    path("versions/<int:pk>/branch/", version_views.branch, name="branch"),
    path("versions/<int:pk>/<int:number>.json", version_views.version_file, name="version-file"),
    path("versions/<int:pk>/<int:number>/restore/", version_views.restore, name="restore"),
    path("models/<int:pk>/script/", script_views.page, name="script"),
    path("models/<int:pk>/script/write/", script_views.write, name="write-script"),
    path("models/<int:pk>/script/rehearse/", script_views.rehearse, name="rehearse"),
    path("models/<int:pk>/script/sign/", script_views.sign, name="sign"),
    path("models/<int:pk>/script/fill/", script_views.fill_in, name="fill-in"),
    path("models/<int:pk>/script/run/", script_views.run, name="run-script"),
    path("runs/<int:pk>/", script_views.run_page, name="run"),
    path("drift/<int:pk>/", drift_views.page, name="drift"),
    path("drift/<int:pk>/watch/", drift_views.watch, name="watch-drift"),
    path("drift/<int:pk>/stop/", drift_views.stop, name="stop-drift"),
    path("drift/<int:pk>/accept/", drift_views.accept, name="accept-drift"),
    path("drift/<int:pk>/again/", drift_views.look_again, name="look-again"),
    path("drift/<int:pk>/feed/", drift_views.renew_feed, name="renew-feed"),
    path("sources/<int:pk>/allow/", script_views.allow, name="allow-changes"),
    path("models/<int:pk>/script/<slug:form>/", script_views.file, name="script-file"),
    path("<int:pk>/", views.page, name="page"),
    path("<int:pk>/decide/", views.decide, name="decide"),
    path("<int:pk>/apply/", views.apply, name="apply"),
    path("<int:pk>/discard/", views.discard, name="discard"),
    path("<int:pk>/<int:number>/", views.margin, name="margin"),
    path("<int:pk>/<int:number>/reject-rename/", views.reject_rename, name="reject-rename"),
    path("<int:pk>/<int:number>/match/", views.pair_rename, name="match"),
]
