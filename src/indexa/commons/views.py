"""Commons in a browser, and the address at which catalogs are delivered."""

from __future__ import annotations

import secrets
from typing import Any

from django.conf import settings
from django.core.paginator import Paginator
from django.db.models import Count, Q
from django.http import HttpRequest, HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, render
from django.views.decorators.csrf import csrf_exempt
from django.views.decorators.http import require_GET, require_http_methods

from indexa.commons.models import Catalog, Dataset, Delivery, Origin
from indexa.commons.receiving import take
from indexa.core.edition.open import received
from indexa.core.edition.open.received import CatalogProblem

_A_PAGE = 50
_MOST_WORDS = 8


@csrf_exempt
@require_http_methods(["GET", "PUT"])
def catalog(request: HttpRequest, name: str) -> JsonResponse:
    """Deliver a catalog (PUT, with the token as bearer; `?dry=1` only tells what would change), or ask what it has."""
    if request.method == "PUT":
        return _deliver(request, name)
    found = get_object_or_404(Catalog, name=name)
    datasets = found.datasets.filter(gone_at__isnull=True).values_list("identifier", "digest")
    return JsonResponse(
        {"name": name, "title": found.title, "version": found.version, "datasets": [{"identifier": one, "digest": digest} for one, digest in datasets]}
    )  # fmt: skip


def _deliver(request: HttpRequest, name: str) -> JsonResponse:
    given = request.headers.get("Authorization", "").removeprefix("Bearer ").strip()
    if not secrets.compare_digest(given.encode(), settings.COMMONS_TOKEN.encode()):
        return JsonResponse({"message": "The token is not the one of this catalog server."}, status=401)
    if int(request.headers.get("Content-Length") or 0) > received.LARGEST:
        return JsonResponse({"message": f"It is larger than {received.LARGEST // 1024**2} MB."}, status=413)
    try:
        coming = received.read(request.body, request.headers.get("Content-Type", ""))
    except CatalogProblem as error:
        return JsonResponse({"message": str(error)}, status=422)
    outcome = take(name, coming, sender=request.headers.get("User-Agent", ""), dry=request.GET.get("dry") == "1")
    return JsonResponse(outcome._asdict())


@require_GET
def home(request: HttpRequest) -> HttpResponse:
    """All catalogs, and the datasets that hold what was looked for."""
    text = _asked(request)
    counted = Catalog.objects.annotate(count=Count("datasets", filter=Q(datasets__gone_at__isnull=True)))
    context: dict[str, Any] = {
        "catalogs": counted,
        "text": text,
        "deliveries": Delivery.objects.select_related("catalog")[:12],
        "origins": Origin.objects.all(),
    }
    if text:
        found = _search(Dataset.objects.filter(gone_at__isnull=True), text).select_related("catalog")
        context["page"] = Paginator(found, _A_PAGE).get_page(request.GET.get("page"))
    return render(request, "commons/home.html", context)


def _asked(request: HttpRequest) -> str:
    return request.GET.get("q", "").replace("\x00", "").strip()[:120]


def _search(found: Any, text: str) -> Any:
    for word in text.lower().split()[:_MOST_WORDS]:
        found = found.filter(words__contains=word)
    return found


@require_GET
def catalog_page(request: HttpRequest, name: str) -> HttpResponse:
    """A catalog: its datasets, and what was delivered when."""
    found = get_object_or_404(Catalog, name=name)
    text = _asked(request)
    page = Paginator(_search(found.datasets.select_related("catalog"), text), _A_PAGE).get_page(request.GET.get("page"))
    return render(
        request, "commons/catalog.html", {"catalog": found, "page": page, "text": text, "deliveries": found.deliveries.all()[:20]}
    )  # fmt: skip


@require_GET
def dataset_page(request: HttpRequest, name: str, identifier: str) -> HttpResponse:
    """A dataset: what it is, its columns, and its versions."""
    found = get_object_or_404(
        Dataset.objects.select_related("catalog"), catalog__name=name, identifier=identifier.replace("\x00", "")
    )
    versions = list(found.versions.select_related("delivery")[:50])
    return render(request, "commons/dataset.html", {"dataset": found, "content": found.content, "versions": versions})


@require_GET
def ready(request: HttpRequest) -> HttpResponse:
    """Say that the server answers."""
    return HttpResponse("ready", content_type="text/plain")
