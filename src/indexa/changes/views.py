"""Undo and redo, asked for by a key or out of a history."""

from __future__ import annotations

from django.db.models import Q
from django.http import JsonResponse
from django.views.decorators.http import require_POST

from indexa.areas.models import Role
from indexa.areas.policies import AreaRequest, in_area
from indexa.changes import undoing, wording
from indexa.changes.errors import AlreadyUndoneError, ChangeError, ConflictsError
from indexa.changes.models import ChangeSet
from indexa.jobs import services as jobs
from indexa.ui.parameters import parse_int


@require_POST
@in_area(Role.STEWARD)
def undo(request: AreaRequest) -> JsonResponse:
    """Undo the last change set of the person who asks, or the one that is named.

    What is not named and is more than one change, or was done elsewhere than on the page that asks, is asked for first.
    """
    asked = parse_int(request.POST.get("change_set")) or None
    last = undoing.next_to_undo(area=request.area, person=request.user, change_set_id=asked)
    return _answer(request, last, asked, redo=False)


@require_POST
@in_area(Role.STEWARD)
def redo(request: AreaRequest) -> JsonResponse:
    """Redo what the person who asks undid last, or the undo that is named."""
    asked = parse_int(request.POST.get("change_set")) or None
    last = undoing.next_to_redo(area=request.area, person=request.user, change_set_id=asked)
    return _answer(request, last, asked, redo=True)


def _answer(request: AreaRequest, last: ChangeSet | None, asked: int | None, *, redo: bool) -> JsonResponse:
    done = "Redone" if redo else "Undone"
    if last is not None and asked is None and _is_to_be_asked(last, request.POST.get("scope", "")):
        question = f"{'Redo' if redo else 'Undo'} {wording.described(last)}?"
        return JsonResponse({"ask": question, "change_set": last.pk})
    if last is not None and undoing.is_large(last):
        title = f"{'Redoing' if redo else 'Undoing'}: {last.why}".replace("`", "")[:200]
        jobs.start(area=request.area, kind="undo", title=title, person=request.user, change_set=last.pk, redo=redo)
        return JsonResponse({"message": "That is large: it is done in the background."})
    act = undoing.redo if redo else undoing.undo
    try:
        made = act(area=request.area, person=request.user, change_set_id=asked)
    except ConflictsError as error:
        listed = [f"{one.label}, {one.field.lower()}: {one.why}" for one in error.conflicts]
        return JsonResponse({"message": str(error), "conflicts": listed}, status=409)
    except AlreadyUndoneError as error:
        return JsonResponse({"message": str(error)}, status=409)
    except ChangeError as error:
        return JsonResponse({"message": str(error)}, status=422)
    return JsonResponse({"message": f"{done}: {wording.amount(made).words}."})


def _is_to_be_asked(last: ChangeSet, scope: str) -> bool:
    """Say whether an undo reaches further than the page it is asked for on.

    `scope` is "model" with an id, "words" for wordbooks and passes, or "" for a page that is about the whole area.
    """
    kind, _, model = scope.partition(" ")
    elsewhere = (kind == "model" and not _is_of(last, parse_int(model))) or (
        kind == "words" and last.model_id is not None
    )
    return elsewhere or last.before_snapshot_id is not None or wording.amount(last).number > 1


def _is_of(last: ChangeSet, model_id: int) -> bool:
    """Say whether a change set is of a model, or of one that implements it or that it implements."""
    if last.model is None:
        return False
    models = type(last.model).objects
    return (
        last.model.pk == model_id
        or models.filter(Q(pk=model_id, logical=last.model) | Q(pk=last.model.pk, logical_id=model_id)).exists()
    )
