"""Who owns what in the demo, and how it is classified: partly, so that the desk has work."""

from __future__ import annotations

from datetime import timedelta

from django.core.files.uploadedfile import SimpleUploadedFile
from django.utils import timezone

from indexa.areas.models import Area, Person
from indexa.attaching import services as attaching
from indexa.describing import aspects, saying
from indexa.describing.models import Aspect, Team
from indexa.describing.saying import Subject
from indexa.dictionary import coverage
from indexa.dictionary.models import CoverageDay
from indexa.glossary import services as glossary
from indexa.glossary.models import Domain, Rule, Term
from indexa.reviewing import services as reviewing
from indexa.store.models import DescribedColumn, StoredColumn, StoredModel, StoredTable

_TEAMS = {
    "Customer Service": ("steward", "reader"),
    "Billing": ("steward", "approver"),
    "Field Operations": ("approver",),
}
_OWNERS = {"cust": "Customer Service", "bill": "Billing"}
"""By schema. Metering has no owner yet."""
_TABLES = (
    ("cust", "Personal data", "Direct"), ("acct", "Personal data", "Indirect"), ("cust_note", "Personal data", "Sensitive"),
    ("cmplt", "Personal data", "Indirect"), ("inv", "Retention", "10 years"), ("pmt", "Retention", "10 years"), ("inv", "Impact", "High"),
    ("mtr_rdg", "Impact", "High"), ("cust_old_2009", "Retention", "1 year"), ("dist", "Personal data", "None"), ("strt", "Personal data", "None"),
)  # fmt: skip
_COLUMNS = (
    ("cust", "brth_dt", "Personal data", "Sensitive"), ("cust", "brth_dt", "Confidentiality", "Restricted"), ("cust_cntct", "val", "Personal data", "Direct"),
    ("cust_note", "note_tx", "Confidentiality", "Secret"), ("usr", "usr_nm", "Personal data", "Direct"),
)  # fmt: skip

_TERMS = (
    ("Customer", "A person or company that Tarnbeck Water supplies or bills.", "agreed", "", "client, consumer"),
    ("Customer Number", "The number that names a customer in letters and calls.", "agreed", "Customer", ""),
    ("Account", "What a customer owes and has paid for one premises.", "agreed", "", "billing account"),
    ("Account Number", "The number of an account, on every bill.", "proposed", "Account", ""),
    ("Meter", "What measures the water that a service point takes.", "agreed", "", "water meter"),
    ("Meter Serial Number", "The number that the maker put on the body of a meter.", "draft", "Meter", "body number"),
    ("Premises", "", "draft", "", "property"),
)
"""Name, definition, state, broader term, synonyms."""
_RULES = (
    (
        "Meter numbers are never given twice",
        "A serial number stays with its meter **for its whole life**:\n\n- it moves with the meter to another premises\n"
        "- it is not used again when the meter is scrapped",
        "Contract with the makers, section 4",
        (("mtr", "mtr_srl_no"), ("mtr", "")),
    ),
    (
        "A bill has at least one line",
        "A bill without lines is not sent; the monthly check lists those that have none.",
        "Water Charges Act, section 12",
        (("inv", ""), ("inv_ln", "")),
    ),
)
"""Name, what must hold, why, and what it governs: a table, or a column of it."""
_FILE = b"type,meaning\nSJ,single jet\nMJ,multi jet\nUS,ultrasonic\n"
_WEEKS = ((92, 95, 100, 60), (80, 84, 100, 20), (71, 70, 40, 0), (40, 52, 40, 0), (22, 30, 0, 0), (0, 12, 0, 0))
"""Shares of today's named, described, owned and classified columns, in percent, a week and more ago."""


def begin(area: Area, people: dict[str, Person]) -> None:
    """Let owners, stewards and classes be said in an area; its administrator adds a field of its own."""
    aspects.begin(area=area, person=people["administrator"])
    aspects.save_aspect(
        area=area, person=people["administrator"], aspect=None, kind="field", name="Checked on", type_="date", applies=["table"],
        meaning="When somebody last looked whether its rows are right.", inherited=False,
    )  # fmt: skip


def describe_billing(area: Area, people: dict[str, Person]) -> None:
    """Say who owns customers and bills, and how some of their tables and columns are classified."""
    model = StoredModel.objects.get(area=area, name="billing", layer="physical")
    for name, members in _TEAMS.items():
        aspects.save_team(area=area, team=None, name=name, people=[people[one].pk for one in members])
    assert Team.objects.filter(area=area).count() == len(_TEAMS)
    for schema, owner in _OWNERS.items():
        _say(area, people, "Owner", Subject("schema", model.pk, schema), owner)
    _say(area, people, "Steward", Subject("model", model.pk), people["steward"].display_name)
    tables = {one.name: one.pk for one in StoredTable.objects.filter(model=model, removed_at__isnull=True)}
    for name, aspect, value in _TABLES:
        _say(area, people, aspect, Subject("table", tables[name]), value)
    _say(area, people, "Checked on", Subject("table", tables["mtr_rdg"]), "2026-11-16")
    for table, name, aspect, value in _COLUMNS:
        column = StoredColumn.objects.get(table_id=tables[table], name=name, removed_at__isnull=True)
        _say(area, people, aspect, saying.shared_subject("column", column.pk), value)


def write_glossary(area: Area, person: Person) -> None:
    """Write some terms, with what is broader, code lists of checks and types, and a domain; some are drafts."""
    terms: dict[str, Term] = {}
    for name, definition, state, broader, synonyms in _TERMS:
        given = {
            "name": name,
            "definition": definition,
            "state": state,
            "synonyms": synonyms,
            "broader": terms[broader].pk if broader else 0,
        }
        terms[name] = glossary.save(area=area, person=person, kind=Term, item=None, given=given)
    columns = DescribedColumn.objects.filter(area=area, layer="physical", model__name="billing")
    for name, term in (
        ("acct_no", "Account Number"),
        ("cust_no", "Customer Number"),
        ("mtr_srl_no", "Meter Serial Number"),
    ):
        ids = columns.filter(name=name).values_list("pk", flat=True)
        glossary.carry(
            area=area, person=person, column_ids=list(ids), carried={"term": terms[term]}, why=f"Means {term}"
        )
    found = glossary.found_lists(area)
    glossary.accept_lists(area=area, person=person, origins=[one.origin for one in found[:3]])
    amount = {
        "name": "Amount in pounds",
        "base_type": "numeric(12,2)",
        "least": "0.00",
        "unit": "GBP",
        "meaning": "Money, to the penny.",
    }
    domain = glossary.save(area=area, person=person, kind=Domain, item=None, given=amount)
    amounts = columns.filter(name__endswith="_amt").values_list("pk", flat=True)[:4]
    glossary.carry(
        area=area, person=person, column_ids=list(amounts), carried={"domain": domain}, why="Amounts in pounds"
    )


def write_rules(area: Area, person: Person) -> None:
    """Write business rules with what they govern, name who owns a term, and attach a file to a table."""
    tables = {
        one.name: one.pk
        for one in StoredTable.objects.filter(model__area=area, model__name="billing", model__layer="physical")
    }
    for name, text, reason, governed in _RULES:
        given = {"name": name, "definition": text, "reason": reason}
        rule = glossary.save(area=area, person=person, kind=Rule, item=None, given=given)
        for table, column in governed:
            target, object_id = "table", tables[table]
            if column:
                target, object_id = (
                    "column",
                    StoredColumn.objects.get(table_id=object_id, name=column, removed_at__isnull=True).pk,
                )
            glossary.govern(area=area, person=person, rule=rule, target=target, object_id=object_id)
    meter = Term.objects.get(area=area, name="Meter")
    owner = Aspect.objects.get(area=area, name="Owner")
    saying.say(area=area, person=person, subject=Subject("term", meter.pk), aspect=owner, given="Field Operations")
    file = SimpleUploadedFile("Types of meters, maker's list.csv", _FILE)
    attaching.attach(area=area, person=person, target="table", object_id=tables["mtr"], file=file)


def propose_and_comment(area: Area, people: dict[str, Person]) -> None:
    """Propose two definitions, of which one is agreed, and ask the approver about a third."""
    found = StoredColumn.objects.filter(table__model__area=area, table__model__name="billing", table__name="cust")
    columns = {one.name: one for one in found.select_related("table", "attribute")}
    for name in ("cust_no", "brth_dt"):
        review = reviewing.propose(area=area, person=people["steward"], item=columns[name])
        if name == "cust_no":
            reviewing.decide(area=area, person=people["approver"], review=review, agree=True)
    asked = "Is this kept for companies too, @approver? The form asks for it, the source has no rule."
    reviewing.comment(area=area, person=people["steward"], item=columns["brth_dt"], text=asked)


def coverage_so_far(area: Area) -> None:
    """Keep how far the area is today, and how it came there over some weeks."""
    coverage.keep_today()
    for now in CoverageDay.objects.filter(model__area=area, day=timezone.localdate()):
        days = [
            CoverageDay(
                model_id=now.model_id, day=now.day - timedelta(days=7 * back), columns=now.columns,
                **{name: getattr(now, name) * shares[at] // 100 for at, name in enumerate(("named", "described", "owned", "classified"))},
            )
            for back, shares in enumerate(_WEEKS, 1)
        ]  # fmt: skip
        CoverageDay.objects.bulk_create(days)


def describe_warehouse(area: Area, people: dict[str, Person]) -> None:
    """Say that everything the reports read belongs to one person."""
    _say(area, people, "Owner", Subject("area", area.pk), people["approver"].display_name)


def _say(area: Area, people: dict[str, Person], aspect: str, subject: Subject, value: str) -> None:
    found = Aspect.objects.get(area=area, name=aspect)
    saying.say(area=area, person=people["steward"], subject=subject, aspect=found, given=value)
