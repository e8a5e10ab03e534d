"""Definitions proposed, agreed and returned; comments with mentions; who is told, on the desk and by mail; who may."""

from __future__ import annotations

from typing import Any

from django.core import mail
from django.test import TestCase
from django.urls import reverse

from indexa.areas.models import Membership, Role
from indexa.modeling import editing
from indexa.reviewing import services
from indexa.reviewing.models import Comment, Notice, Review
from tests.factories import PASSWORD, column, make_area, make_model, make_person, store, text_of


class ReviewCase(TestCase):
    def setUp(self) -> None:
        self.area = make_area()
        self.person, self.approver = make_person(self.area), make_person(self.area, Role.APPROVER, name="matt")
        self.person.email = "ines@tarnbeck.example"
        self.person.save()
        self.model = store(self.area, make_model())
        self.column = column(self.model, "mtr.mtr_srl_no")
        self.write("Number on the body.")
        self.as_person(self.person)

    def as_person(self, person: Any) -> None:
        self.client.login(username=person.username, password=PASSWORD)

    def write(self, value: str, seen: str = "") -> None:
        place = editing.place_of(self.column, only_here=False)
        editing.edit(area=self.area, person=self.person, place=place, field="definition", seen=seen, value=value)

    def act(self, act: str, text: str = "") -> Any:
        address = reverse("reviewing:about", args=[self.area.slug, "column", self.column.pk])
        with self.captureOnCommitCallbacks(execute=True):
            return self.client.post(address, {"act": act, "text": text})

    def state(self) -> str:
        return services.state_of(column(self.model, "mtr.mtr_srl_no"))[0]


class ReviewTests(ReviewCase):
    def test_a_definition_is_proposed_agreed_and_a_draft_again_when_it_changes(self) -> None:
        self.assertEqual(self.state(), "draft")
        self.assertContains(self.act("propose"), "proposed")
        self.assertContains(self.act("propose"), "It is proposed already", status_code=422)
        self.as_person(self.approver)
        desk = self.client.get(reverse("desk:page", args=[self.area.slug]))
        self.assertContains(desk, "1 waiting")
        page = self.client.get(reverse("reviewing:waiting", args=[self.area.slug]))
        self.assertContains(page, "Number on the body.")
        self.assertContains(self.act("agree"), "agreed")
        self.assertEqual(self.state(), "agreed")
        self.assertEqual([message.to for message in mail.outbox], [["ines@tarnbeck.example"]])
        self.write("Six signs.", seen="Number on the body.")
        self.assertEqual(self.state(), "draft")

    def test_it_goes_back_with_a_reason_that_the_steward_is_told(self) -> None:
        self.act("propose")
        self.as_person(self.approver)
        self.assertContains(self.act("return"), "Say why it goes back", status_code=422)
        review = Review.objects.get()
        self.client.post(
            reverse("reviewing:decide", args=[self.area.slug, review.pk]), {"act": "return", "text": "Which body?"}
        )
        self.as_person(self.person)
        desk = self.client.get(reverse("desk:page", args=[self.area.slug]))
        self.assertIn("returned the definition of metering.mtr.mtr_srl_no: Which body?", text_of(desk))
        answer = self.client.post(reverse("reviewing:seen", args=[self.area.slug]), {"notice": Notice.objects.get().pk})
        self.assertIn(f"?column={Review.objects.get().object_id}", answer["Location"])
        self.assertFalse(Notice.objects.filter(seen_at=None).exists())
        self.assertContains(self.act("propose"), "proposed")

    def test_nobody_agrees_to_what_they_proposed_or_to_a_text_that_changed(self) -> None:
        Membership.objects.filter(person=self.person).update(role=Role.APPROVER)
        self.act("propose")
        self.assertContains(self.act("agree"), "Who proposed a definition does not agree", status_code=422)
        self.write("Six signs.", seen="Number on the body.")
        self.as_person(self.approver)
        review = Review.objects.get()
        page = self.client.post(
            reverse("reviewing:decide", args=[self.area.slug, review.pk]), {"act": "agree"}, follow=True
        )
        self.assertContains(page, "was decided or changed meanwhile")

    def test_comments_mention_and_tell_those_who_follow(self) -> None:
        self.act("comment", "Is it six signs, @matt? And @nobody.")
        made = Comment.objects.get()
        self.assertEqual(list(made.mentions.all()), [self.approver])
        self.as_person(self.approver)
        self.assertContains(self.client.get(reverse("desk:page", args=[self.area.slug])), "Is it six signs")
        self.act("comment", "<script>alert(1)</script>")
        self.assertContains(
            self.client.get(reverse("modeling:column-margin", args=[self.area.slug, self.column.pk])), "&lt;script&gt;"
        )
        self.assertEqual(Notice.objects.filter(person=self.person).count(), 1)
        self.as_person(self.person)
        self.act("unfollow")
        self.as_person(self.approver)
        self.act("comment", "Again.")
        self.assertEqual(Notice.objects.filter(person=self.person).count(), 1)
        self.assertContains(self.act("comment", " "), "Write something first", status_code=422)

    def test_who_may(self) -> None:
        self.act("propose")
        reader = make_person(self.area, Role.READER)
        for person, statuses in (
            (reader, (403, 403, 200)),
            (self.person, (422, 403, 200)),
            (make_person(make_area("other")), (404, 404, 404)),
        ):
            self.as_person(person)
            found = tuple(self.act(act, "x").status_code for act in ("propose", "agree", "comment"))
            self.assertEqual(found, statuses, person.username)
