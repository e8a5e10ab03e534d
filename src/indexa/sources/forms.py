"""Forms for a source of each kind, and for what to read from it."""

from __future__ import annotations

import re
from typing import Any

from django import forms
from django.conf import settings
from django.core.exceptions import ValidationError
from django.core.files.uploadedfile import UploadedFile
from django.utils.html import format_html

from indexa.adapters.address import PORTS, TLS_MODES, parse_address, platform_of
from indexa.adapters.errors import SourceError
from indexa.adapters.live import FILE_PLATFORMS, OTHER
from indexa.adapters.postgresql import parse_url
from indexa.adapters.script_files import is_text_encoding
from indexa.areas.models import Area
from indexa.core import platforms
from indexa.core.intake.choice import OBJECT_KINDS, SchemaCount, patterns
from indexa.sources.models import Source
from indexa.sources.services import likely_logical
from indexa.store.models import Layer, StoredModel
from indexa.ui.forms import Styled, style_fields

_RUN_HERE = ("postgresql", "mysql")
MOST_FILES = 200


def live_platforms() -> list[tuple[str, str]]:
    """List the platforms that can be connected to: those run here first, then by name."""
    others = sorted(PORTS.keys() - set(_RUN_HERE), key=lambda name: platforms.get(name).label.lower())
    return [(name, platforms.get(name).label) for name in (*_RUN_HERE, *others)] + [
        (OTHER, "Another, by an SQLAlchemy URL")
    ]


class NamedSourceForm(forms.ModelForm):  # type: ignore[type-arg]  # not generic at run time
    """What the forms of all kinds share: a name that is free in its area."""

    widths: dict[str, str] = {}

    class Meta:
        model = Source
        fields = ["name"]

    def __init__(self, *args: Any, area: Area, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.area = area
        self.instance.area = area
        self.fields["name"].help_text = "What colleagues call it. The model is named after it."
        # A browser cuts what is longer without a word; the form says so.
        self.fields["name"].widget.attrs.pop("maxlength", None)
        style_fields(self, self.widths)

    def clean_name(self) -> str:
        name: str = self.cleaned_data["name"]
        if Source.objects.filter(area=self.area, name=name).exclude(pk=self.instance.pk).exists():
            raise ValidationError(f"A source named “{name}” is there already.")
        return name


class DatabaseForm(NamedSourceForm):
    """Where a database is. A URL fills in all that is left empty beside it."""

    platform = forms.ChoiceField(choices=live_platforms, initial="postgresql")
    url = forms.CharField(
        label="Connection URL",
        required=False,
        max_length=1000,
        help_text="For example <code>postgresql://reader@127.0.0.1:5432/billing</code> or <code>mysql://reader@127.0.0.1/</code>. "
        "What it says counts; the fields below may then stay empty.",
    )
    database = forms.CharField(
        required=False, max_length=500, help_text="MariaDB and MySQL need none: their databases are the schemas."
    )
    password = forms.CharField(
        required=False, widget=forms.PasswordInput(attrs={"autocomplete": "off"}), max_length=500
    )

    no_password = forms.BooleanField(label="Delete the stored password: the login needs none", required=False)

    class Meta(NamedSourceForm.Meta):
        fields = ["name", "platform", "url", "host", "port", "database", "user", "password", "tls", "no_password"]

    field_order = ["name", "platform", "url", "host", "port", "database", "user", "password", "tls", "no_password"]
    widths = {"name": "half", "platform": "half", "host": "two-thirds", "port": "third", "database": "half", "user": "half",
              "password": "half", "tls": "half"}  # fmt: skip

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        for name in ("host", "port", "database", "user"):
            self.fields[name].required = False
        if not self.instance.pk:
            self.initial["port"] = None
        elif self.instance.platform == OTHER:
            self.initial.update(url=self.instance.database, database="", port=None)
        self._stored_for = self.instance.target if self.instance.sealed_password else ""
        if self._stored_for:
            self.fields[
                "password"
            ].help_text = "One is stored. Leave empty to keep it; it is asked for again when anything changes that decides where it goes."
        else:
            del self.fields["no_password"]

    def clean(self) -> dict[str, Any]:
        cleaned: dict[str, Any] = super().clean() or self.cleaned_data
        url = cleaned.get("url") or ""
        if bare := _without_password(url):  # what was typed is shown again if it is refused; a password never is
            shown: Any = self.data
            shown = shown.copy()
            shown["url"] = bare
            self.data = shown
        cleaned["platform"] = cleaned.get("platform") or "postgresql"
        if cleaned["platform"] == OTHER:
            return self._password_again(self._clean_other(cleaned, url))
        if url:
            try:
                self._take_url(cleaned, url)
            except SourceError as error:
                raise ValidationError({"url": f"{error.message} {error.hint}"}) from error
        cleaned["port"] = cleaned.get("port") or PORTS[cleaned["platform"]]
        needed = ("host", "user") if cleaned["platform"] == "mysql" else ("host", "database", "user")
        for name in needed:
            if not cleaned.get(name):
                self.add_error(name, "Needed, here or in the URL.")
        return self._password_again(cleaned)

    def _password_again(self, cleaned: dict[str, Any]) -> dict[str, Any]:
        """Ask for the password where the stored one would go elsewhere, as somebody else, or less safely."""
        if not self._stored_for or cleaned.get("password") or cleaned.get("no_password") or self.errors:
            return cleaned
        names = ("platform", "host", "port", "database", "user", "tls")
        entered = Source(**{name: cleaned[name] for name in names if cleaned.get(name) is not None})
        if entered.target != self._stored_for:
            self.add_error(
                "password",
                "Enter the password again: the stored one is kept for the address, login and TLS mode it was entered with.",
            )
        return cleaned

    def _take_url(self, cleaned: dict[str, Any], url: str) -> None:
        named = platform_of(url)
        if named in ("", "postgresql"):
            address, password = parse_url(url)
            platform = cleaned["platform"] if cleaned["platform"] in ("greenplum", "redshift") else "postgresql"
        else:
            platform, address, password = parse_address(url)
        if platform in FILE_PLATFORMS:
            raise ValidationError(
                {"url": "This is a database file: go back and choose “A database file on this server”."}
            )
        if address.tls not in TLS_MODES:
            raise ValidationError({"url": f"“{address.tls}” is no TLS mode Indexa knows."})
        cleaned |= {"platform": platform, "host": address.host, "port": address.port, "tls": address.tls}
        cleaned["database"] = address.database or cleaned.get("database", "")
        cleaned["user"] = address.user or cleaned.get("user", "")
        cleaned["password"] = password or cleaned.get("password", "")

    def _clean_other(self, cleaned: dict[str, Any], url: str) -> dict[str, Any]:
        from sqlalchemy.engine import make_url
        from sqlalchemy.exc import ArgumentError

        from indexa.adapters.sqlalchemy_urls import parse_other

        try:
            address = make_url(url)
            parse_other(url)
        except (ArgumentError, ValueError) as error:
            raise ValidationError(
                {"url": "Write an SQLAlchemy URL, such as firebird+firebird://reader@host//path/to/base.fdb."}
            ) from error
        except SourceError as error:
            raise ValidationError({"url": f"{error.message} {error.hint}"}) from error
        cleaned["password"] = str(address.password or "") or cleaned.get("password", "")
        bare = address._replace(password=None).render_as_string(hide_password=False)
        return cleaned | {"database": bare, "host": "", "port": 0, "user": ""}


def _without_password(url: str) -> str:
    """Return the URL or line of settings without the password in it, "" if there is none in it."""
    bare = re.sub(r"(://[^:/@]*):[^/]*@", r"\1@", url)
    bare = re.sub(r"(?i)\b(ssl)?password\s*=\s*('(?:[^'\\]|\\.)*'|[^\s&]*)", "", bare)
    return bare if bare != url else ""


class SeveralFiles(forms.ClearableFileInput):
    """A file input that takes several."""

    allow_multiple_selected = True


class FilesField(forms.FileField):
    """Files, in the order in which they were handed in."""

    widget = SeveralFiles

    def clean(self, data: Any, initial: Any = None) -> Any:
        given = data if isinstance(data, (list, tuple)) else [data] if data else []
        if len(given) > MOST_FILES:
            raise ValidationError(f"At most {MOST_FILES} files at a time; put more into a zip.")
        checked: list[UploadedFile[bytes]] = [super(FilesField, self).clean(one, initial) for one in given]
        if not checked and self.required and not initial:
            raise ValidationError(self.error_messages["required"], code="required")
        return checked


def _upload_help() -> str:
    return f"{settings.UPLOAD_LIMIT // 1024**2} MB together at most."


class ScriptForm(NamedSourceForm):
    """Scripts: the files in their order, and how to read them."""

    uploads = FilesField(label="Files", error_messages={"required": "Choose the script, or several."})
    platform = forms.ChoiceField(label="Dialect", required=False)
    encoding = forms.CharField(
        required=False, max_length=20, help_text="Found out by itself: UTF-8, UTF-16, else Windows-1252."
    )
    default_schema = forms.CharField(
        required=False,
        max_length=128,
        label="Schema of unqualified names",
        help_text="Empty: as the platform has it, or as the script says.",
    )

    class Meta(NamedSourceForm.Meta):
        fields = ["name", "platform", "encoding", "default_schema"]

    field_order = ["name", "uploads", "platform", "encoding", "default_schema"]
    widths = {"platform": "third", "encoding": "third", "default_schema": "third"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        named = sorted(
            ((name, platforms.get(name).label) for name in platforms.names()), key=lambda choice: choice[1].lower()
        )
        field: Any = self.fields["platform"]
        field.choices = [("", "Proposed from the script"), *named]
        files: Any = self.fields["uploads"]
        files.help_text = (
            f"SQL, also gzipped; several, or a zip, are read one after the other in the order given. {_upload_help()}"
        )
        if self.instance.pk:
            files.required = False
            files.help_text = f"Leave empty to keep {self.instance.place}. {files.help_text}"
        else:
            self.initial["platform"] = ""

    def clean_encoding(self) -> str:
        encoding: str = self.cleaned_data["encoding"].strip()
        if encoding and not is_text_encoding(encoding):
            raise ValidationError(
                f"There is no encoding “{encoding}”. Known are utf-8, cp1252, latin-1, cp850, shift_jis and many more."
            )
        return encoding


class KitForm(NamedSourceForm):
    """The result of a field kit: its platform and the file."""

    platform = forms.ChoiceField(choices=lambda: kit_platforms())
    uploads = FilesField(label="Result", error_messages={"required": "Choose the file with the result."})

    class Meta(NamedSourceForm.Meta):
        fields = ["name", "platform"]

    field_order = ["name", "platform", "uploads"]
    widths = {"name": "half", "platform": "half"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        files: Any = self.fields["uploads"]
        files.widget = forms.ClearableFileInput(attrs={"class": "form-control", "accept": ".csv,.tsv,.txt,.xlsx"})
        files.help_text = f"CSV with any common delimiter, or XLSX, with its column names. {_upload_help()}"
        files.required = not self.instance.pk


def kit_platforms() -> list[tuple[str, str]]:
    """List the platforms that there is a field kit for."""
    listed = [(name, platforms.get(name).label) for name in platforms.names() if platforms.get(name).has_kit]
    return sorted(listed, key=lambda choice: choice[1].lower())


class FileForm(NamedSourceForm):
    """A database file on this server."""

    platform = forms.ChoiceField(choices=[(name, name) for name in sorted(FILE_PLATFORMS)])
    database = forms.CharField(label="Path on this server", max_length=1000)

    class Meta(NamedSourceForm.Meta):
        fields = ["name", "platform", "database"]

    field_order = ["name", "platform", "database"]
    widths = {"name": "half", "platform": "half"}

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        field: Any = self.fields["platform"]
        field.choices = [(name, platforms.get(name).label) for name in sorted(FILE_PLATFORMS, reverse=True)]
        folders = ", ".join(settings.SOURCE_FOLDERS)
        self.fields["database"].help_text = format_html(
            "A file below <code>{}</code>. It is opened read-only.", folders
        )


FORMS: dict[str, type[NamedSourceForm]] = {
    Source.Kind.LIVE: DatabaseForm,
    Source.Kind.SCRIPT: ScriptForm,
    Source.Kind.KIT: KitForm,
    Source.Kind.FILE: FileForm,
}


class KitDownloadForm(Styled):
    """The two settings of a field kit, filled in before it is downloaded."""

    platform = forms.ChoiceField(choices=lambda: kit_platforms())
    schema = forms.CharField(required=False, max_length=128, help_text="A name, or a pattern with %. Empty: all.")
    views = forms.ChoiceField(label="What", choices=[("yes", "Tables and views"), ("no", "Tables only")])
    widths = {"platform": "third", "schema": "third", "views": "third"}

    def clean_schema(self) -> str:
        schema: str = self.cleaned_data["schema"].strip()
        if any(letter in schema for letter in "'\\\n\r;"):
            raise ValidationError("A schema's name here holds no quote, backslash or semicolon.")
        return schema or "%"


class ChoiceForm(Styled):
    """Schemas, kinds and names to read, and the logical model to implement."""

    schemas = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple, required=False, error_messages={"required": "Choose at least one schema."}
    )
    kinds = forms.MultipleChoiceField(
        widget=forms.CheckboxSelectMultiple,
        choices=list(OBJECT_KINDS.items()),
        error_messages={"required": "Choose at least one kind of object."},
    )
    include = forms.CharField(required=False, max_length=4000, label="Include names")
    exclude = forms.CharField(required=False, max_length=4000, label="Exclude names")
    logical = forms.ModelChoiceField(
        queryset=StoredModel.objects.none(),
        required=False,
        label="Logical model",
        empty_label="New logical model",
        help_text="The entities and attributes that these tables and columns implement.",
    )

    def __init__(self, *args: Any, source: Source, found: list[SchemaCount], **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        schemas: Any = self.fields["schemas"]
        schemas.choices = [(schema.schema, schema.schema) for schema in found]
        schemas.required = any(schema.schema for schema in found)
        logical: Any = self.fields["logical"]
        logical.queryset = StoredModel.objects.filter(area=source.area, layer=Layer.LOGICAL)
        if source.model:
            del self.fields["logical"]
        elif likely := likely_logical(source):
            self.initial["logical"] = likely.model.pk
            logical.help_text = f"{likely.model.name} is proposed: {likely.same:,} of {likely.tables:,} tables have an entity of their name there."

    def clean_include(self) -> str:
        return " ".join(patterns(self.cleaned_data["include"]))

    def clean_exclude(self) -> str:
        return " ".join(patterns(self.cleaned_data["exclude"]))
