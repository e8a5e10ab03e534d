"""Change sets move into an app of their own: the tables stay, values become JSON in which null and "" are two things."""

from __future__ import annotations

import django.db.models.deletion
from django.conf import settings
from django.db import migrations, models

COLUMNS = """
alter table change add column operation varchar(6) not null default 'update';
alter table change_set add column in_force boolean not null default true;
update change_set set in_force = false where id in (select undoes_id from change_set where undoes_id is not null);
update change set operation = case when before = '' then 'create' else 'delete' end where field = 'asserted';
alter table change alter column before drop not null, alter column after drop not null;
alter table change alter column before type jsonb using
  case when field = 'asserted' then nullif(before, '')::jsonb
       when field = 'migrated_from_id' then nullif(before, '')::jsonb else to_jsonb(before) end;
alter table change alter column after type jsonb using
  case when field = 'asserted' then nullif(after, '')::jsonb
       when field = 'migrated_from_id' then nullif(after, '')::jsonb else to_jsonb(after) end;
"""
BACK = """
alter table change alter column before type text using coalesce(case when field = 'asserted' then before::text else before #>> '{}' end, '');
alter table change alter column after type text using coalesce(case when field = 'asserted' then after::text else after #>> '{}' end, '');
alter table change alter column before set not null, alter column after set not null;
alter table change drop column operation;
alter table change_set drop column in_force;
"""
CASCADE, SET_NULL, PROTECT = (
    django.db.models.deletion.CASCADE, django.db.models.deletion.SET_NULL, django.db.models.deletion.PROTECT,
)  # fmt: skip


class Migration(migrations.Migration):
    dependencies = [
        ("areas", "0001_initial"),
        ("modeling", "0005_proposals_and_readings"),
        migrations.swappable_dependency(settings.AUTH_USER_MODEL),
    ]
    operations = [
        migrations.SeparateDatabaseAndState(
            database_operations=[migrations.RunSQL(COLUMNS, BACK)],
            state_operations=[
                migrations.CreateModel(
                    "ChangeSet",
                    [
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("kind", models.CharField(choices=[("edit", "Edit"), ("intake", "Intake"), ("undo", "Undo"), ("redo", "Redo")], max_length=10)),
                        ("at", models.DateTimeField(auto_now_add=True)),
                        ("why", models.TextField(blank=True)),
                        ("in_force", models.BooleanField(db_default=True, default=True)),
                        ("renames", models.JSONField(null=True)),
                        ("after_snapshot", models.ForeignKey(null=True, on_delete=PROTECT, related_name="+", to="modeling.snapshot")),
                        ("area", models.ForeignKey(on_delete=CASCADE, related_name="change_sets", to="areas.area")),
                        ("before_snapshot", models.ForeignKey(null=True, on_delete=PROTECT, related_name="+", to="modeling.snapshot")),
                        ("model", models.ForeignKey(null=True, on_delete=CASCADE, related_name="change_sets", to="modeling.storedmodel")),
                        ("person", models.ForeignKey(null=True, on_delete=SET_NULL, to=settings.AUTH_USER_MODEL)),
                        ("undoes", models.OneToOneField(null=True, on_delete=CASCADE, related_name="undone_by", to="changes.changeset")),
                    ],
                    {"db_table": "change_set", "ordering": ["-id"]},
                ),
                migrations.CreateModel(
                    "Change",
                    [
                        ("id", models.BigAutoField(auto_created=True, primary_key=True, serialize=False, verbose_name="ID")),
                        ("operation", models.CharField(choices=[("create", "Create"), ("update", "Update"), ("delete", "Delete")], db_default="update", default="update", max_length=6)),
                        ("target", models.CharField(max_length=12)),
                        ("object_id", models.BigIntegerField()),
                        ("label", models.TextField()),
                        ("field", models.CharField(max_length=20)),
                        ("before", models.JSONField(null=True)),
                        ("after", models.JSONField(null=True)),
                        ("change_set", models.ForeignKey(on_delete=CASCADE, related_name="changes", to="changes.changeset")),
                    ],
                    {
                        "db_table": "change",
                        "indexes": [models.Index(fields=["target", "object_id"], name="changes_of_an_object")],
                    },
                ),
            ],
        ),
    ]
