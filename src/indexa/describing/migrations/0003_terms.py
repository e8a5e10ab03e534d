"""Owners and stewards can be named for terms too."""

from django.db import migrations


class Migration(migrations.Migration):
    dependencies = [("describing", "0002_what_holds")]

    operations = [
        migrations.RunSQL(
            "update aspect set applies = applies || '{term}' where kind in ('owner', 'steward') and not 'term' = any(applies)",
            "update aspect set applies = array_remove(applies, 'term')",
        ),
    ]
