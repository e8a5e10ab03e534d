"""All addresses. What belongs to an area lies below /a/<its name>/."""

from django.contrib.auth.decorators import login_not_required
from django.contrib.auth.views import LoginView, LogoutView
from django.urls import include, path

from indexa.areas.passwords import ChangePassword
from indexa.areas.views import home
from indexa.editions.public import open_edition, open_feed, open_list, read_edition
from indexa.reconcile.drift_views import feed as drift_feed
from indexa.ui.forms import SignInForm
from indexa.ui.sign_in_again import sign_in_again

in_area = [
    path("", include("indexa.desk.urls")),
    path("sources/", include("indexa.sources.urls")),
    path("reconcile/", include("indexa.reconcile.urls")),
    path("dictionary/glossary/", include("indexa.glossary.urls")),
    path("dictionary/reviews/", include("indexa.reviewing.urls")),
    path("dictionary/files/", include("indexa.attaching.urls")),
    path("dictionary/described/", include("indexa.describing.urls")),
    path("dictionary/", include("indexa.dictionary.urls")),
    path("names/", include("indexa.naming.urls")),
    path("editions/", include("indexa.editions.urls")),
    path("jobs/", include("indexa.jobs.urls")),
    path("members/", include("indexa.areas.urls")),
    path("", include("indexa.changes.urls")),
    path("", include("indexa.proposals.urls")),
    path("", include("indexa.diagrams.urls")),
    path("", include("indexa.building.urls")),
    path("", include("indexa.modeling.urls")),
]
urlpatterns = [
    path("", home, name="home"),
    path(
        "sign-in/",
        LoginView.as_view(
            template_name="ui/sign_in.html", authentication_form=SignInForm, redirect_authenticated_user=True
        ),
        name="sign-in",
    ),
    path("sign-in/again/", sign_in_again, name="sign-in-again"),
    path("sign-out/", LogoutView.as_view(), name="sign-out"),
    path("password/", ChangePassword.as_view(), name="password"),
    path("read/<str:token>/", login_not_required(read_edition), name="reading-link"),
    path("read/<str:token>/<path:path>", login_not_required(read_edition), name="reading-link-file"),
    path("published/<slug:slug>/", login_not_required(open_list), name="open-editions"),
    path("published/<slug:slug>/atom.xml", login_not_required(open_feed), name="open-feed"),
    path("published/<slug:slug>/<int:number>/", login_not_required(open_edition), name="open-edition"),
    path("published/<slug:slug>/<int:number>/<path:path>", login_not_required(open_edition), name="open-edition-file"),
    path("drift/<str:key>/atom.xml", drift_feed, name="drift-feed"),
    path("a/<slug:area_slug>/", include(in_area)),
]
handler400 = "indexa.ui.error_pages.bad_request"
handler403 = "indexa.ui.error_pages.permission_denied"
handler404 = "indexa.ui.error_pages.page_not_found"
handler500 = "indexa.ui.error_pages.server_error"
