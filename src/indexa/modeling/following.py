"""After a very large change: the search index of the dictionary follows in the background."""

from __future__ import annotations

from django.urls import reverse

from indexa.dictionary import rows as dictionary_rows
from indexa.jobs.models import Job
from indexa.jobs.progress import Progress
from indexa.modeling.models import StoredModel


def bring_up_to_date(job: Job, progress: Progress) -> str:
    """Make the dictionary's rows of the job's model anew, and those of all models that share its logical model."""
    model = StoredModel.objects.filter(pk=job.arguments["model"], area=job.area).first()
    if model is not None:
        logical = model.logical_id or model.pk
        family = sorted(
            {model.pk, logical, *StoredModel.objects.filter(logical_id=logical).values_list("pk", flat=True)}
        )
        for done, pk in enumerate(family):
            progress.tell("Bringing search and filters up to date", done, len(family))
            dictionary_rows.refresh_model(pk)
    return reverse("dictionary:page", args=[job.area.slug])
