"""Words that stewards of Tarnbeck Water have written so far: the demo begins in the middle of the work."""

TABLES: dict[str, tuple[str, str]] = {
    "metering.mtr": ("Meter", "A device that measures the water taken at a service point."),
    "metering.mtr_rdg": ("Meter Reading", "A register value of a meter at a moment, however it came in."),
    "metering.svc_pt": (
        "Service Point",
        "The place where the supply enters a premises and a meter can be set.",
    ),
    "metering.mtr_xchg": ("Meter Exchange", ""),
    "cust.cust": ("Customer", "A person or organisation that Tarnbeck Water has an account with."),
    "cust.acct": ("Account", "The agreement under which a customer is billed for one premises."),
    "cust.prem": ("Premises", "A building, or a part of one, that is supplied as a whole."),
    "cust.addr": ("Address", ""),
    "bill.inv": ("Invoice", "A demand for payment sent to the holder of an account."),
    "bill.inv_ln": ("Invoice Line", "One charge on an invoice."),
    "bill.pmt": ("Payment", "Money received on an account."),
    "bill.trf": ("Tariff", ""),
}
"""Business name and definition of a table, by its name in the source."""

COLUMNS: dict[str, tuple[str, str]] = {
    "metering.mtr.mtr_id": (
        "Meter Identifier",
        "Number that names a meter for its whole life, across moves between service points.",
    ),
    "metering.mtr.mtr_srl_no": ("Meter Serial Number", "Serial number as the maker stamped it on the body."),
    "metering.mtr.mtr_szcd": ("Meter Size Code", ""),
    "metering.mtr.mtr_typ_cd": ("Meter Type Code", "Kind of measuring element: see the table Meter Type."),
    "metering.mtr.inst_dt": ("Installation Date", "Day the meter was set at its present service point."),
    "metering.mtr.rmv_dt": ("Removal Date", "Date the meter was removed; empty while it is installed."),
    "metering.mtr.ami_fl": ("Smart Meter Flag", "Yes where the meter sends its readings by itself."),
    "metering.mtr_rdg.rdg_ts": ("Reading Timestamp", ""),
    "metering.mtr_rdg.rdg_val": ("Reading Value", "Register value in cubic metres at the time of reading."),
    "metering.mtr_rdg.rdg_src_cd": (
        "Reading Source Code",
        "How the reading was obtained: visit, remote reading, customer or estimate.",
    ),
    "metering.svc_pt.svc_pt_id": ("Service Point Identifier", "Number of the service point."),
    "metering.svc_pt.zn_id": ("Zone Identifier", ""),
    "cust.cust.cust_id": ("Customer Identifier", "Number that names a customer inside this database only."),
    "cust.cust.cust_no": ("Customer Number", "The number on letters and bills, from C000000001 upwards."),
    "cust.cust.fst_nm": ("First Name", "Given name of a person; empty for an organisation."),
    "cust.cust.lst_nm": ("Last Name", "Family name of a person, or the full name of an organisation."),
    "cust.cust.brth_dt": ("Birth Date", "Asked for priority services only. Personal data."),
    "cust.cust.vul_fl": (
        "Priority Services Flag",
        "Yes where the customer is on the priority services register.",
    ),
    "cust.acct.acct_id": ("Account Identifier", "Number that names an account inside this database only."),
    "cust.acct.acct_no": ("Account Number", "The number by which a customer names the account."),
    "cust.acct.stat": ("Account Status", "Pending, active, suspended or closed."),
    "cust.acct.opn_dt": ("Opening Date", "Day from which the account is billed."),
    "cust.acct.cls_dt": (
        "Closing Date",
        "Date from which the account is no longer billed; empty while it is open.",
    ),
    "cust.acct.acct_bal_amt": (
        "Account Balance Amount",
        "What is owed in pounds; negative where the account is in credit.",
    ),
    "cust.prem.prem_id": ("Premises Identifier", "Number that names a premises."),
    "bill.inv.inv_id": ("Invoice Identifier", "Number that names an invoice inside this database only."),
    "bill.inv.inv_no": ("Invoice Number", "The number printed on the invoice."),
    "bill.inv.inv_dt": ("Invoice Date", "Day the invoice was issued, which is also its tax point."),
    "bill.inv.due_dt": ("Due Date", ""),
    "bill.inv.net_amt": ("Net Amount", "Sum of the lines before tax, in pounds."),
    "bill.inv.grs_amt": ("Gross Amount", "Net amount and tax, in pounds."),
    "bill.pmt.pmt_id": ("Payment Identifier", "Number that names a payment."),
    "bill.pmt.pmt_amt": ("Payment Amount", "What was received, in pounds; never zero or less."),
}
"""Business name and definition of a column, by its full name in the source."""

WORDBOOKS: dict[str, tuple[tuple[str, str, str, str, str], ...]] = {
    "Customer and Billing": (
        ("Account", "acct", "agreed", "", "The agreement under which one premises is billed."),
        ("Customer", "cust", "agreed", "", "A person or organisation that has an account."),
        ("Invoice", "inv", "agreed", "", "A demand for payment sent to the holder of an account."),
        ("Payment", "pmt pymt", "agreed", "", "Money received on an account."),
        ("Premises", "prem", "agreed", "", "A building, or a part of one, that is supplied as a whole."),
        ("Tariff", "trf", "proposed", "", ""),
        ("Rate", "rt", "agreed", "trf tx vld", "What one unit costs."),
        ("Route", "rt", "agreed", "rdr mtr", "The round that a meter reader walks."),
    ),
    "Tarnbeck Water": (
        ("Meter", "mtr", "agreed", "", "A device that measures the water taken at a service point."),
        ("Reading", "rdg read", "proposed", "", ""),
        ("Service", "svc", "agreed", "", ""),
        ("Point", "pt", "agreed", "", ""),
        ("Address", "addr adr", "agreed", "", ""),
        ("Identifier", "id", "agreed", "", "What names one thing within one system only."),
        (
            "Number",
            "no nbr",
            "agreed",
            "",
            "Identifying number as printed on letters and labels; never calculated with.",
        ),
        ("Name", "nm", "agreed", "", ""),
        ("Date", "dt", "agreed", "", "A day, without a time."),
        ("Timestamp", "ts", "agreed", "", "A moment, to the second or better."),
        ("Code", "cd", "agreed", "", "A short value out of a list that says what it means."),
        ("Type", "typ", "agreed", "", ""),
        ("Amount", "amt", "agreed", "", "Money, in pounds."),
        ("Flag", "fl flg", "agreed", "", "Yes or no."),
        ("Remote Meter", "ami", "retired", "", "Said until 2019; now Smart Meter."),
    ),
}
"""Wordbooks, the nearest first: word, short forms, status, words it stands beside only, meaning."""
