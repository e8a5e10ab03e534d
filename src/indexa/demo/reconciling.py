"""The demo's own changes of the billing model, its comparison with the source, and a change script that was rehearsed."""

from __future__ import annotations

from collections.abc import Callable
from datetime import timedelta
from functools import partial

from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.building import objects
from indexa.building import services as building
from indexa.core.building import changing
from indexa.core.building.parts import Part
from indexa.jobs.models import Job
from indexa.reconcile import comparing, drifting, scripts
from indexa.reconcile.other_sides import other_side
from indexa.sources.models import Intake, Source
from indexa.store.models import StoredModel, StoredTable


def watch(area: Area, person: Person) -> None:
    """Watch the source of the billing model from a reading that is dated a week ago."""
    source = Source.objects.get(area=area, name="billing")
    Intake.objects.filter(source=source).update(at=timezone.now() - timedelta(days=7))
    drifting.watch(source=source, person=person, ignore=["order", "owners"], schemas=[])


def read_again(area: Area, person: Person) -> Job:
    """Return the job of another reading, which finds the source as it was: what differs was changed in the model."""
    source = Source.objects.get(area=area, name="billing")
    return Job.objects.create(
        area=area, kind="intake", title="Reading billing", arguments={"source": source.pk}, started_by=person
    )


def change_and_compare(area: Area, person: Person) -> Job:
    """Change the billing model by hand, compare it with its source, write the script, and return the job that rehearses it.

    One change is of a column that the source changes too, a release later: then a conflict waits.
    """
    model = StoredModel.objects.get(area=area, name="billing", layer="physical")
    tables = {table.name: table for table in StoredTable.objects.filter(model=model, removed_at__isnull=True)}

    def retyped(name: str, type_: str) -> Callable[[Part, int], object]:
        return lambda part, id_: changing.change_column(
            part, id_, next(one.id for one in part.table(id_).columns if one.name == name), type_=type_
        )

    work: tuple[tuple[str, str, Callable[[Part, int], object]], ...] = (
        ("usr", "Longer names of users", retyped("usr_nm", "character varying(100)")),
        ("prem", "Rateable values above a hundred million", retyped("rtbl_val", "numeric(12,2)")),
        ("mtr_rdg", "Remarks of the meter reader", lambda part, id_: changing.add_column(part, id_, "rdg_rmk", "character varying(200)")),
    )  # fmt: skip
    for name, why, done in work:
        own = tables[name].pk
        building.change(
            area=area, person=person, model=model, tables=[own], why=why, work=partial(_on, table_id=own, done=done)
        )
    objects.save(
        area=area, person=person, model=model, kind="index", table=tables["inv"],
        given={"name": "inv_due_ix", "columns": "due_dt"},
    )  # fmt: skip
    made = comparing.start(area=area, person=person, model=model, other=other_side(area, model, ""))
    script = scripts.write(made=made, person=person, allow_drops=False)
    return Job.objects.create(
        area=area,
        kind="rehearse",
        title="Rehearsing the change script of billing",
        arguments={"script": script.pk},
        started_by=person,
    )


def _on(part: Part, table_id: int, done: Callable[[Part, int], object]) -> object:
    return done(part, table_id)
