"""Names into words: at marks, at changes of case, at digits, and inside what is run together."""

from __future__ import annotations

from unittest import TestCase

from hypothesis import given, settings
from hypothesis import strategies as st

from indexa.core.naming.lexicon import general
from indexa.core.naming.splitting import Splitter

NAMES = {
    "mtr_rdg_dt": "mtr rdg dt",
    "first-name": "first name",
    "lastLoginDate": "last login date",
    "HTTPServerID": "http server id",
    "SSLproxyURL": "ssl proxy url",
    "userIDs": "user ids",
    "LASTUPDATEDBY": "last updated by",
    "lastlogindate": "last login date",
    "tblcustacct": "tbl cust acct",
    "vwcustorders": "vw cust orders",
    "custaddrlinenbr": "cust addr line nbr",
    "Bill-To.Addr": "bill to addr",
    "address2": "address 2",
    "md5sum": "md5 sum",
    "ipv4_addr": "ipv4 addr",
    "userMD5Sum": "user md5 sum",
    "OAuthToken": "oauth token",
    "username": "username",
    "kundennummer": "kundennummer",
    "ГодРождения": "год рождения",
    "größe_mm": "größe mm",
    "客户_名称": "客户 名称",
    "two words": "two words",
    "": "",
    "__": "",
    "%": "",
}


class SplittingTests(TestCase):
    def test_names_are_split_into_their_words(self) -> None:
        splitter = Splitter()
        for name, words in NAMES.items():
            with self.subTest(name):
                self.assertEqual(splitter.split(name), words.split())

    def test_the_wordbook_and_the_other_names_settle_what_no_lexicon_knows(self) -> None:
        self.assertEqual(Splitter(["szcd", "sz", "cd"]).split("mtr_szcd"), ["mtr", "szcd"])
        self.assertEqual(Splitter(["sz", "cd"]).split("mtrszcd"), ["mtr", "sz", "cd"])
        self.assertEqual(Splitter(["cl2"]).split("avg_cl2_val"), ["avg", "cl2", "val"])
        large = Splitter(general().short_forms)
        for word in ("determinand", "conductivity", "eastings", "mandatory"):
            self.assertEqual(large.split(word), [word])
        self.assertEqual(large.split("mtrrdgdt"), ["mtr", "rdg", "dt"])
        splitter = Splitter()
        self.assertEqual(splitter.split("gpodid"), ["gpodid"])
        splitter.learn(["gpod_name", "gpod_state", "gpod_type", "user_id"])
        self.assertEqual(splitter.split("gpodid"), ["gpod", "id"])

    @settings(max_examples=300)
    @given(st.text(max_size=60))
    def test_no_letter_and_no_digit_is_lost_or_added(self, name: str) -> None:
        kept = "".join(letter for letter in name if letter.isalnum() and (letter.isalpha() or letter.isdecimal()))
        words = Splitter().split(name)
        if kept == "".join(letter for letter in name if letter.isalnum()):
            self.assertEqual("".join(words), kept.lower())
        self.assertTrue(all(words))

    @settings(max_examples=100)
    @given(
        st.lists(
            st.sampled_from("meter reading date account balance service point last login number".split()),
            min_size=1,
            max_size=5,
        )
    )
    def test_however_words_are_joined_they_are_found_again(self, words: list[str]) -> None:
        splitter = Splitter()
        capitals = "".join(word.capitalize() for word in words)
        for name in (
            "_".join(words),
            "-".join(words).upper(),
            capitals,
            capitals[0].lower() + capitals[1:],
            "".join(words),
        ):
            self.assertEqual(splitter.split(name), words)

    def test_a_name_of_any_length_takes_no_time(self) -> None:
        for name in ("a" * 200_000, "aB" * 50_000, "_a1" * 50_000, "AAAAb" * 30_000):
            self.assertEqual("".join(Splitter().split(name)), name.lower().replace("_", ""))
