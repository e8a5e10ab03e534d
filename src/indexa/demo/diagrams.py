"""The demo's diagrams: one that a steward made for the way from meter to cash, and the suggested one of each other model."""

from __future__ import annotations

from indexa.areas.models import Area, Person
from indexa.diagrams import moving, notes, services
from indexa.diagrams.drawing import drawing_of
from indexa.diagrams.models import Diagram
from indexa.diagrams.suggestions import FIRST, suggestions
from indexa.store.models import Layer, StoredModel

METER_TO_CASH = (
    "cust.prem", "cust.cust", "cust.acct", "metering.svc_pt", "metering.mtr", "metering.mtr_rdg", "bill.inv", "bill.inv_ln", "bill.pmt",
    "bill.pmt_alloc",
)  # fmt: skip


_ROOM_FOR_FRAME = 110


def draw_billing(area: Area, person: Person) -> None:
    """Draw the way from the meter to the payment, and what the logical model has around its most connected entities."""
    physical = StoredModel.objects.get(area=area, layer=Layer.PHYSICAL, name="billing")
    ids = [table.pk for table in physical.tables.all() if table.full_name in METER_TO_CASH]
    made = services.create(
        area=area, person=person, model=physical, name="Meter to cash", table_ids=ids, style="layered"
    )
    inside = [card for card in drawing_of(made).cards if card.key[0] == "metering"]
    lower = {int(card.id[1:]): (card.x, card.y + _ROOM_FOR_FRAME) for card in inside}
    drawing = moving.move(area=area, person=person, diagram=made, places=lower)
    inside = [card for card in drawing.cards if card.key[0] == "metering"]
    left, top = min(card.x for card in inside), min(card.y for card in inside)
    around = {
        "x": left, "y": top, "width": max(card.right for card in inside) - left,
        "height": max(card.bottom for card in inside) - top,
    }  # fmt: skip
    notes.create(area=area, person=person, diagram=made, kind="frame", text="Metering", at=(0, 0), around=around)
    notes.create(
        area=area, person=person, diagram=made, kind="note", at=(40, 60),
        text="From the reading of a meter to the payment of its invoice. Tariffs and arrears are on diagrams of their own.",
    )  # fmt: skip
    assert physical.logical is not None
    diagram = _suggested(area, person, physical.logical)
    services.set_view(area=area, person=person, diagram=diagram, given={"naming": "business"})


def draw_others(area: Area, person: Person) -> None:
    """Draw the suggested diagram of each physical model of an area that has relationships."""
    for model in StoredModel.objects.filter(area=area, layer=Layer.PHYSICAL).order_by("name"):
        if model.tables.filter(references__isnull=False).exists():
            _suggested(area, person, model)


def _suggested(area: Area, person: Person, model: StoredModel) -> Diagram:
    first = next(one for one in suggestions(model) if one.name == FIRST)
    return services.create(area=area, person=person, model=model, name=first.name, table_ids=first.table_ids)
