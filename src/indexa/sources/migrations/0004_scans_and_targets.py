"""What a scan found is kept whole, and each sealed password is bound to the place it was entered for."""

from __future__ import annotations

import base64
import hashlib
import json
from typing import Any

from cryptography.fernet import Fernet, InvalidToken
from django.conf import settings
from django.db import migrations, models

from indexa.adapters.installation_key import installation_key


def bind_to_targets(apps: Any, _: Any) -> None:
    """Seal each password once more, together with its target; one whose key is lost is left, and asked for again."""
    sources = apps.get_model("sources", "Source").objects.exclude(sealed_password="")
    if not sources.exists():
        return
    key = installation_key(settings.SOURCE_KEY_FILE)
    fernet = Fernet(base64.urlsafe_b64encode(hashlib.sha256(key.encode()).digest()))
    for source in sources:
        url = source.database if source.platform == "other" else ""
        target = "|".join((source.platform, source.host.lower(), str(source.port), source.user, source.tls, url))
        try:
            password = fernet.decrypt(source.sealed_password.encode()).decode()
        except InvalidToken:
            continue
        sealed = json.dumps({"password": password, "target": target})
        source.sealed_password = fernet.encrypt(sealed.encode()).decode()
        source.save(update_fields=["sealed_password"])


class Migration(migrations.Migration):
    dependencies = [("sources", "0003_proposals_and_readings")]
    operations = [
        migrations.AddField("source", "held", models.JSONField(editable=False, null=True)),
        migrations.RunPython(bind_to_targets, migrations.RunPython.noop),
    ]
