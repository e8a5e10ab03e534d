"""The demo's third area: the reporting warehouse, which names the same things under a standard of its own."""

from __future__ import annotations

from indexa.areas.models import Area, Person
from indexa.core.naming.standard import Kind, Rule
from indexa.jobs.models import Job
from indexa.modeling import editing
from indexa.naming.standards import services as standards
from indexa.naming.wordbooks import services as wordbooks
from indexa.naming.wordbooks.models import BookWord
from indexa.store.models import StoredColumn, StoredModel, StoredTable

AREA = "Reporting"
SCHEMAS = ["dw", "mart"]
_SHORT_FORMS = (
    "Account acnt", "Amount amnt", "Billed bild", "Calendar cal", "Call call", "Charge chrg", "Class clss", "Consumption cnsp",
    "Contact cont", "Count cnt", "Customer cstm", "Day days", "District dstr", "Estimated estm", "Exception excp", "First frst",
    "Fiscal fscl", "Holiday hldy", "Installed inst", "Invoice invc", "Ledger ldgr", "Manufacturer manf", "Meter metr", "Month mnth",
    "Number numb", "Occupant occp", "Parent prnt", "Payment paym", "Period perd", "Premises prms", "Previous prev", "Quarter qrtr",
    "Reading read", "Second secd", "Serial serl", "Smart smrt", "Street strt", "Tariff trff", "Timestamp tmst", "Valid vald",
    "Value valu", "Volume volm", "Vulnerable vlnr", "Dimension dim", "Fact fct", "Method mthd", "Category catg", "Credit crdt",
    "Date date", "Code code", "Name name", "Flag flag", "Type type", "Row rows", "Form form",
)  # fmt: skip
_CLASS_WORDS = tuple(
    "key code date name number amount volume flag count value timestamp year month from to size second".split()
)
_RULES: dict[Kind, Rule] = {
    "table": Rule(),
    "view": Rule(prefix="v_"),
    "column": Rule(class_words=_CLASS_WORDS, max_length=20),
    "primary key": Rule(pattern="{{ table }}_pk", severity="note", leave_server_names=True),
    "foreign key": Rule(pattern="{{ table }}_fk{{ number }}", severity="note", leave_server_names=True),
    "index": Rule(pattern="{{ table }}_i{{ number }}"),
}
TABLES = {
    "dw.dim_cstm": "Dimension Customer",
    "dw.dim_prms": "Dimension Premises",
    "dw.dim_metr": "Dimension Meter",
    "dw.fct_read": "Fact Reading",
    "dw.fct_invc_line": "Fact Invoice Line",
    "dw.fct_paym": "Fact Payment",
    "dw.etl_run": "Load Run",
}
COLUMNS = {
    "dw.dim_cstm.cstm_key": "Customer Key",
    "dw.dim_cstm.cstm_numb": "Customer Number",
    "dw.dim_cstm.cstm_name": "Customer Name",
    "dw.dim_cstm.frst_cont_date": "First Contact Date",
    "dw.dim_cstm.vlnr_flag": "Vulnerable Customer Flag",
    "dw.dim_metr.metr_serl_numb": "Meter Serial Number",
    "dw.dim_metr.inst_date": "Installed Date",
    "dw.dim_metr.rmvd_date": "Removed Date",
    "dw.dim_metr.size_mm": "Nominal Size",
    "dw.fct_read.read_valu": "Reading Value",
    "dw.fct_read.cnsp_volm": "Consumption Volume",
    "dw.fct_read.estm_flag": "Estimated Flag",
    "dw.fct_read.load_tmst": "Load Timestamp",
    "dw.fct_invc_line.net_amnt": "Net Amount",
    "dw.fct_invc_line.vat_amnt": "VAT Amount",
    "dw.fct_paym.paym_amnt": "Payment Amount",
    "dw.etl_run.run_id": "Load Run Number",
    "dw.etl_run.job_nm": "Job Name",
    "dw.etl_run.strt_ts": "Start Timestamp",
    "dw.etl_run.end_ts": "End Timestamp",
    "dw.etl_run.rows_cnt": "Row Count",
    "dw.etl_run.sts_cd": "Status Code",
}


def name_and_govern(area: Area, person: Person, company: Area) -> Job:
    """Give the warehouse its short forms above the company's words, a standard, business names; queue a pass to physical names."""
    book = wordbooks.make_book(area, "Warehouse")
    BookWord.objects.bulk_create(
        BookWord(wordbook=book, word=word, abbreviations=[short], changed_by=person)
        for word, short in (entry.rsplit(" ", 1) for entry in _SHORT_FORMS)
    )
    company_book = next(one for one in wordbooks.books_of(company) if one.name == "Tarnbeck Water")
    wordbooks.use(area=area, person=person, book_id=company_book.pk)
    model = StoredModel.objects.get(area=area, layer="physical")
    tables = {table.full_name: table for table in StoredTable.objects.filter(model=model)}
    columns = {
        f"{column.table.full_name}.{column.name}": column
        for column in StoredColumn.objects.filter(table__model=model).select_related("table")
    }
    items: list[tuple[StoredTable | StoredColumn, str]] = [(tables[name], text) for name, text in TABLES.items()]
    items += [(columns[name], text) for name, text in COLUMNS.items()]
    for item, text in items:
        place = editing.place_of(item, only_here=False)
        editing.edit(area=area, person=person, place=place, field="business_name", seen="", value=text)
    made = standards.make(area=area, person=person, name="Warehouse", platform="postgresql", rules=_RULES)
    standards.govern(stored=made, models=[model])
    return Job.objects.create(
        area=area, kind="naming pass", title="Proposing names for warehouse", started_by=person,
        arguments={"model": model.pk, "kinds": ["tables", "columns", "keys"], "only_missing": False, "direction": "physical"},
    )  # fmt: skip
