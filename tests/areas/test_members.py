"""Members: added once, with a first password that does not stay."""

from __future__ import annotations

from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Membership, Person, Role
from tests.factories import PASSWORD, make_area, make_person

_NEW = "three words of hers"


class MemberTests(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.administrator = make_person(self.area, Role.ADMINISTRATOR)
        self.client.login(username=self.administrator.username, password=PASSWORD)
        self.address = reverse("areas:members", args=[self.area.slug])

    def add(self, username: str, role: Role) -> str:
        entered = {"username": username, "role": role.value, "password": PASSWORD}
        return self.client.post(self.address, entered, follow=True).content.decode()

    def test_who_is_a_member_is_not_added_again_under_another_role(self) -> None:
        self.assertIn("is a member already, as administrator", self.add(self.administrator.username, Role.READER))
        self.assertEqual(Membership.objects.get(person=self.administrator).role, Role.ADMINISTRATOR)

    def test_a_first_password_is_changed_before_anything_else(self) -> None:
        self.assertIn("is reader here", self.add("mira", Role.READER))
        desk = reverse("desk:page", args=[self.area.slug])
        self.client.logout()
        self.client.login(username="mira", password=PASSWORD)
        self.assertRedirects(self.client.get(desk), reverse("password"))
        entered = {"old_password": PASSWORD, "new_password1": _NEW, "new_password2": _NEW}
        self.client.post(reverse("password"), entered)
        self.assertFalse(Person.objects.get(username="mira").has_first_password)
        self.assertEqual(self.client.get(desk).status_code, 200)

    def test_somebody_new_needs_a_good_password_and_then_has_the_role(self) -> None:
        entered = {"username": "nora", "role": Role.APPROVER, "first_name": "Nora", "last_name": "Pike"}
        self.assertContains(self.client.post(self.address, entered), "give a first password", status_code=422)
        self.assertContains(
            self.client.post(self.address, entered | {"password": "short"}), "too short", status_code=422
        )
        self.client.post(self.address, entered | {"password": "river and weir"})
        membership = self.area.memberships.get(person__username="nora")
        self.assertEqual((membership.role, membership.person.display_name), (Role.APPROVER, "Nora Pike"))
        change = reverse("areas:change", args=[self.area.slug, membership.pk])
        self.assertEqual(self.client.post(change, {"role": "7"}).status_code, 400)
        self.assertTrue(self.area.memberships.filter(pk=membership.pk).exists())
        self.client.post(change, {"role": "none"})
        self.assertFalse(self.area.memberships.filter(pk=membership.pk).exists())
