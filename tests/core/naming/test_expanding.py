"""Names to business names: wordbooks first, then what comments, other names, keys and general use say."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.model import Column, ForeignKey, Key, Model, Table
from indexa.core.naming.evidence import Place
from indexa.core.naming.expanding import Expander, Expansion
from indexa.core.naming.making import Maker
from indexa.core.naming.mining import Found, mine
from indexa.core.naming.standard import Kind, Rule, Standard
from indexa.core.naming.wordbook import Stack, Word, Wordbook


def expanded(*places: Place, stack: Stack | None = None) -> list[Expansion]:
    return Expander(places, stack).expand_all()


def name_of(name: str, **more: str) -> str:
    return expanded(Place(name, **more))[0].business_name


def book(*entries: str, name: str = "book") -> Wordbook:
    """A wordbook out of "Word=short other" lines; "!" marks a proposed one, "@a,b" what it stands beside."""
    words = []
    for entry in entries:
        word, abbreviations = entry.split("=")
        abbreviations, _, context_words = abbreviations.partition("@")
        words.append(
            Word(
                word=word.strip("!"), abbreviations=tuple(abbreviations.split()), status="proposed" if word.endswith("!") else "agreed",
                context_words=tuple(context_words.split(",")) if context_words else (),
            )
        )  # fmt: skip
    return Wordbook(name=name, words=tuple(words))


class ExpandingTests(TestCase):
    def test_general_short_forms_acronyms_and_connecting_words(self) -> None:
        for name, business_name in {
            "cust_addr": "Customer Address", "vat_amt": "VAT Amount", "dob": "Date of Birth", "no_of_items": "Number of Items",
            "customer_no": "Customer Number", "url_ids": "URL IDs", "user_id": "User ID", "address2": "Address 2",
            "exp_dt": "Expiration Date", "min_temp": "Minimum Temperature", "temp_table": "Temporary Table",
        }.items():  # fmt: skip
            with self.subTest(name):
                self.assertEqual(name_of(name, table="t"), business_name)

    def test_names_in_full_are_left_alone(self) -> None:
        for name in "first_name status order_line created_at notes is_active admin_email lab net_weight price part_count".split():
            with self.subTest(name):
                self.assertEqual(name_of(name, table="t").lower(), name.replace("_", " "))

    def test_a_comment_outweighs_general_use(self) -> None:
        self.assertEqual(name_of("rdg_cnt", table="t", comment="how many readings were counted"), "Reading Count")
        self.assertEqual(name_of("acc", table="protein", comment="Accession of the entry"), "Accession")
        self.assertEqual(name_of("rop", table="parts", comment="Rate of Pay, in pounds"), "Rate of Pay")

    def test_what_one_name_teaches_helps_the_others(self) -> None:
        alone = expanded(Place("zmk_dt", table="b"))[0]
        helped = expanded(Place("zmk_no", table="a", comment="number of the zoomark"), Place("zmk_dt", table="b"))[1]
        self.assertEqual(alone.business_name, "ZMK Date")
        self.assertEqual(helped.business_name, "Zoomark Date")
        self.assertGreater(helped.confidence, alone.confidence)

    def test_prefixes_of_tables_are_not_told(self) -> None:
        self.assertEqual(name_of("tblMeterReading"), "Meter Reading")
        tables = [Place(f"acme_{word}") for word in ("meter", "customer", "invoice", "payment", "tariff")]
        self.assertEqual([one.business_name for one in expanded(*tables)][:2], ["Meter", "Customer"])

    def test_the_nearest_wordbook_decides_and_nothing_else_is_asked(self) -> None:
        stack = Stack([book("Service Part=sp", name="works"), book("Service Point=sp", "Reading=rdg", name="company")])
        one = expanded(Place("sp_rdg", table="t", comment="special ridge"), stack=stack)[0]
        self.assertEqual((one.business_name, one.confidence, one.open), ("Service Part Reading", 1.0, ()))

    def test_one_short_form_with_two_meanings_is_chosen_by_its_company_or_left_open(self) -> None:
        stack = Stack([book("Service Point=sp@svc,mtr", "Special=sp@tariff", "Meter=mtr")])
        by_company, special, unsure = expanded(
            Place("mtr_sp", table="t"), Place("sp_tariff", table="ref"), Place("sp_id", table="t"), stack=stack
        )
        self.assertEqual(by_company.business_name, "Meter Service Point")
        self.assertEqual((special.business_name, special.open), ("Special Tariff", ()))
        self.assertEqual(unsure.open, ("sp",))

    def test_a_proposed_word_is_used_and_stays_open(self) -> None:
        one = expanded(Place("rdg_id", table="t"), stack=Stack([book("Reading!=rdg")]))[0]
        self.assertEqual((one.business_name, one.open), ("Reading ID", ("rdg",)))


WORDS = "Meter Reading Service Customer Account Balance Premises Tariff Invoice Payment Valve Zone".split()
SHORTS = "mtr rdg svc cust acct bal prem trf inv pmt vlv zn".split()


class RoundTripTests(TestCase):
    @settings(max_examples=150)
    @given(
        st.lists(st.sampled_from(WORDS), min_size=1, max_size=4),
        st.sampled_from(["lower", "upper", "camel", "pascal"]),
        st.sampled_from(["_", "-", "."]),
        st.permutations(SHORTS),
    )
    def test_business_to_physical_to_business_is_the_same(
        self, words: list[str], case: str, separator: str, abbreviations: list[str]
    ) -> None:
        """Whatever the short forms are, as long as each stands for one word."""
        wordbook = Wordbook(
            name="b", words=tuple(Word(word=w, abbreviations=(s,)) for w, s in zip(WORDS, abbreviations, strict=True))
        )
        joined = "" if case in ("camel", "pascal") else separator
        kind: Kind = "column"
        standard = Standard(name="s", rules={kind: Rule(case=case, separator=joined, allowed="A-Za-z0-9_.-")})  # type: ignore[arg-type]
        made = Maker(standard, Stack([wordbook])).make(kind, " ".join(words))
        self.assertEqual(made.notes, ())
        back = expanded(Place(made.name, table="t"), stack=Stack([wordbook]))[0]
        self.assertEqual((back.business_name, back.confidence), (" ".join(words), 1.0))


def model(*tables: Table) -> Model:
    return Model(name="m", tables=list(tables))


def table(name: str, *columns: tuple[str, str], **more: object) -> Table:
    made = [Column(one, at, "int", comment=comment) for at, (one, comment) in enumerate(columns, 1)]
    return Table(name=name, columns=made, **more)  # type: ignore[arg-type]


class MiningTests(TestCase):
    def found(self, *models: Model) -> dict[str, Found]:
        return {one.short: one for one in mine(models) if one.kind == "short form"}

    def test_comments_keys_and_full_forms_are_evidence(self) -> None:
        customer = table("customer", ("id", ""), ("name", ""), primary_key=Key(name="", columns=("id",)))
        refers = ForeignKey(name="", columns=("cust_id",), ref_schema="", ref_table="customer", ref_columns=("id",))
        orders = table(
            "orders", ("cust_id", ""), ("rdg_val", "value of the reading"), ("qzx", ""), foreign_keys=[refers]
        )
        found = self.found(model(customer, orders))
        self.assertEqual(found["cust"].word, "customer")
        self.assertIn("1 foreign keys join it to a name that has it in full", found["cust"].evidence)
        self.assertEqual(
            (found["rdg"].word, found["rdg"].count, found["rdg"].places), ("reading", 1, ("orders.rdg_val",))
        )
        self.assertNotIn("qzx", found)
        self.assertNotIn("id", found)

    def test_homonyms_misspellings_and_synonyms(self) -> None:
        one = table(
            "a", ("sp_no", "service point"), ("sp_cd", "service point"), ("adress_line", ""), ("vendor_name", "")
        )
        other = table(
            "b", ("sp_rate", "special rate"), ("sp_tariff", "special tariff"), ("adress", ""), ("supplier_name", "")
        )
        full = [table(f"t{n}", (f"postal_address_{word}", "")) for n, word in enumerate(("city", "street", "code"))]
        text = {(found.kind, found.short): found.word for found in mine([model(one, other, *full)])}
        self.assertEqual(text["misspelling", "adress"], "address")
        self.assertIn("special", text["homonym", "sp"])
        self.assertTrue(("synonym", "supplier") in text or ("synonym", "vendor") in text)
