"""Who may do what: every address below an area is guarded, and each role does what it may and no more."""

from __future__ import annotations

import re
from collections.abc import Iterator

from django.test import TestCase
from django.urls import URLPattern, URLResolver, get_resolver, reverse

from indexa.areas import services
from indexa.areas.models import Membership, Role
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, table

OPEN = {"sign-in", "sign-in-again", "sign-out", "reading-link", "reading-link-file", "drift-feed"} | {
    "open-editions", "open-feed", "open-edition", "open-edition-file",
}  # fmt: skip
FOR_READERS = {"seen", "save-view", "delete-view", "about"}
"""Addresses where readers change what is their own: notices, saved views, comments."""
FOR_ANYBODY_SIGNED_IN = {"home", "password"}


def patterns(resolver: URLResolver | None = None, below: str = "") -> Iterator[tuple[str, URLPattern]]:
    for one in (resolver or get_resolver()).url_patterns:
        route = below + str(one.pattern)
        if isinstance(one, URLResolver):
            yield from patterns(one, route)
        else:
            yield route, one


def role_for(pattern: URLPattern, method: str) -> Role | None:
    """Return the role that a view asks for; None where it asks for none."""
    view = pattern.callback
    while not hasattr(view, "required_role") and hasattr(view, "__wrapped__"):
        view = view.__wrapped__
    return getattr(view, "posting_role" if method == "POST" else "required_role", None)


def takes(pattern: URLPattern, method: str) -> bool:
    """Say whether a view answers a method: the decorators for methods keep theirs in a closure."""
    view, allowed = pattern.callback, None
    while view is not None:
        cells = [cell.cell_contents for cell in view.__closure__ or ()]
        allowed = next((one for one in cells if isinstance(one, list) and set(one) <= {"GET", "HEAD", "POST"}), allowed)
        view = getattr(view, "__wrapped__", None)
    return allowed is None or method in allowed


def address_of(route: str, slug: str) -> str:
    """Return an address of a route: its objects do not exist, since roles come first."""
    address = re.sub(r"\(\?P<\w+>([\w ]+|\\d\+)[^)]*\)", r"\1", route)
    address = address.replace(r"\d+", "1").replace("^", "").replace("$", "").replace("<slug:area_slug>", slug)
    return "/" + re.sub(r"<(\w+:)?\w+>", "x", re.sub(r"<int:\w+>", "1", address))


def guarded_addresses(slug: str) -> Iterator[tuple[Role, str, str]]:
    """Yield each address below an area with each method it takes and the role that this asks for."""
    for route, pattern in patterns():
        for method in ("GET", "POST"):
            role = role_for(pattern, method)
            if role is not None and takes(pattern, method):
                yield role, method, address_of(route, slug)


class GuardTests(TestCase):
    def test_every_address_is_guarded_or_named_here(self) -> None:
        for route, pattern in patterns():
            if pattern.name in OPEN | FOR_ANYBODY_SIGNED_IN:
                continue
            with self.subTest(route):
                self.assertIn("<slug:area_slug>", route)
                self.assertIsNotNone(role_for(pattern, "GET"), f"{route} asks for no role")

    def test_every_address_refuses_strangers_and_those_whose_role_is_too_low(self) -> None:
        area = make_area()
        stranger = make_person(make_area("Elsewhere"), Role.ADMINISTRATOR)
        people = {role: make_person(area, role) for role in Role}
        guarded = list(guarded_addresses(area.slug))
        self.assertGreater(len(guarded), 200)
        for role, person in {None: stranger, **people}.items():
            self.client.force_login(person)
            for needed, method, address in guarded:
                if role is None or role < needed:
                    with self.subTest(role=role, address=address, method=method):
                        status = self.client.generic(method, address).status_code
                        self.assertEqual(status, 404 if role is None else 403)

    def test_readers_change_nothing_but_what_is_their_own(self) -> None:
        found = {
            str(pattern.name)
            for _, pattern in patterns()
            if takes(pattern, "POST") and role_for(pattern, "POST") == Role.READER
        }
        self.assertEqual(found, FOR_READERS)

    def test_without_signing_in_every_page_leads_to_the_sign_in(self) -> None:
        area = make_area()
        for name in ("desk:page", "sources:list", "modeling:list", "dictionary:page", "editions:list", "jobs:list"):
            with self.subTest(name):
                address = reverse(name, args=[area.slug])
                self.assertRedirects(self.client.get(address), f"/sign-in/?next={address}")


class RoleTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.stored = store(self.area, make_model())
        slug, model = self.area.slug, self.stored.pk
        inst = column(self.stored, "mtr.inst_dt").pk
        self.steps: list[tuple[Role, str, str]] = [
            (Role.READER, "get", reverse("dictionary:page", args=[slug])),
            (Role.READER, "get", reverse("dictionary:export", args=[slug, "csv"])),
            (Role.READER, "get", reverse("modeling:overview", args=[slug, model])),
            (Role.READER, "get", reverse("modeling:tables", args=[slug, model])),
            (Role.READER, "get", reverse("modeling:table", args=[slug, table(self.stored, "mtr").pk])),
            (Role.READER, "get", reverse("modeling:history", args=[slug, model])),
            (Role.READER, "get", reverse("modeling:file", args=[slug, model])),
            (Role.READER, "get", reverse("desk:lookup", args=[slug]) + "?q=mtr"),
            (Role.STEWARD, "get", reverse("sources:new", args=[slug])),
            (Role.STEWARD, "post", reverse("sources:new-of", args=[slug, "live"])),
            (Role.STEWARD, "get", reverse("modeling:edit", args=[slug, "column", inst, "definition"])),
            (Role.STEWARD, "post", reverse("changes:undo", args=[slug])),
            (Role.STEWARD, "get", reverse("editions:new", args=[slug])),
            (Role.ADMINISTRATOR, "get", reverse("areas:members", args=[slug])),
            (Role.ADMINISTRATOR, "post", reverse("modeling:delete", args=[slug, self.stored.logical_id])),
        ]

    def test_each_role_does_what_it_may_and_no_more(self) -> None:
        for role in Role:
            self.client.login(username=make_person(self.area, role).username, password=PASSWORD)
            for needed, method, address in self.steps:
                with self.subTest(role=role.label, address=address):
                    status = getattr(self.client, method)(address).status_code
                    self.assertEqual(status == 403, role < needed, status)
                    self.assertLess(status, 500)

    def test_a_stranger_learns_nothing_of_an_area(self) -> None:
        stranger = make_person(make_area("Elsewhere"), Role.ADMINISTRATOR)
        self.client.login(username=stranger.username, password=PASSWORD)
        for _, method, address in self.steps:
            with self.subTest(address):
                self.assertEqual(getattr(self.client, method)(address).status_code, 404)

    def test_things_of_another_area_are_not_there_through_ones_own(self) -> None:
        own = make_area("Own")
        self.client.login(username=make_person(own, Role.ADMINISTRATOR).username, password=PASSWORD)
        inst = column(self.stored, "mtr.inst_dt").pk
        for name, args in {
            "modeling:overview": [self.stored.pk], "modeling:table": [table(self.stored, "mtr").pk],
            "modeling:column-margin": [inst], "modeling:edit": ["column", inst, "definition"],
        }.items():  # fmt: skip
            with self.subTest(name):
                self.assertEqual(self.client.get(reverse(name, args=[own.slug, *args])).status_code, 404)

    def test_the_last_administrator_stays(self) -> None:
        make_person(self.area, Role.ADMINISTRATOR)
        only = Membership.objects.get(area=self.area, role=Role.ADMINISTRATOR)
        with self.assertRaises(services.LastAdministratorError):
            services.change_role(area=self.area, membership_id=only.pk, role=Role.READER)
        make_person(self.area, Role.ADMINISTRATOR)
        services.change_role(area=self.area, membership_id=only.pk, role=None)
        self.assertFalse(Membership.objects.filter(pk=only.pk).exists())
