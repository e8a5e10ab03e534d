"""What goes into an edition, as it is frozen when the draft is made: every form is made from this and nothing else."""

from __future__ import annotations

import datetime as dt
import hashlib
from typing import Literal, TypeAlias

import msgspec

from indexa.core.diagram.parts import Drawing
from indexa.core.glossary.codes import Code
from indexa.core.model import Model
from indexa.core.render.diagram.notations import Notation

Paper: TypeAlias = Literal["a4", "us-letter"]


class Contents(msgspec.Struct, frozen=True):
    """What is chosen of the models, and beside them."""

    views: bool = True
    comments: bool = True
    undescribed: bool = True
    """False leaves out tables in which nothing is described."""
    technical: bool = True
    """Indexes, checks and the queries of views."""
    diagrams: bool = True
    """The diagrams that the area shares of the models."""
    stewardship: bool = True
    """Owners, classes and fields."""
    glossary: bool = True
    """Terms and business rules."""
    codes: bool = True
    """Code lists that columns carry."""
    tables: bool = True
    """False leaves only the overview: summary, own text, diagrams, terms."""
    drafts: bool = True
    """Terms that are drafts."""
    coverage: bool = True
    """How far each schema is described, owned and classified."""
    neighbourhoods: bool = False
    """A diagram for each group of tables that refer to each other most."""
    surroundings: bool = False
    """With each table a small diagram of those next to it."""
    findings: bool = False
    """Names that the naming standard speaks against."""
    logo: bool = True
    """The area's logo on the cover."""


class Picture(msgspec.Struct):
    """A diagram of one of the models (by its position), laid out and measured."""

    model: int
    drawing: Drawing
    notation: Notation = "crows-foot"


class Term(msgspec.Struct, frozen=True):
    """A term with its definition in Markdown, and the columns that carry it, as "table.column"."""

    name: str
    definition: str = ""
    synonyms: tuple[str, ...] = ()
    broader: str = ""
    owner: str = ""
    columns: tuple[str, ...] = ()


class Rule(msgspec.Struct, frozen=True):
    """A business rule: what must hold, and why."""

    name: str
    definition: str = ""
    reason: str = ""


class CodeList(msgspec.Struct, frozen=True):
    """A code list with its codes, and the columns that carry it."""

    name: str
    meaning: str = ""
    codes: tuple[Code, ...] = ()
    columns: tuple[str, ...] = ()


class Section(msgspec.Struct, frozen=True):
    """A text of the edition's own, in Markdown; `[[t12|bill.inv]]` names a table, `[[c34|bill.inv.amt]]` a column."""

    title: str
    text: str


class NameFound(msgspec.Struct, frozen=True):
    """A name that the naming standard speaks against, why, and the name it should have ("" where a person has to say)."""

    model: str
    place: str
    rule: str
    severity: str
    why: str
    should: str = ""


class Logo(msgspec.Struct, frozen=True):
    """A picture for the cover, as PNG or JPEG, and its size in px."""

    media_type: Literal["image/png", "image/jpeg"]
    content: bytes
    width: int
    height: int

    @property
    def file_name(self) -> str:
        """What it is called as a file."""
        return "logo.png" if self.media_type == "image/png" else "logo.jpg"


class ScriptStep(msgspec.Struct, frozen=True):
    """A step of a change script: what it does in words, its risk, its statements as text, and what is to be done before it."""

    what: str
    risk: str
    text: str
    check: str = ""
    fill: str = ""


class EnclosedScript(msgspec.Struct, frozen=True):
    """A change script with the one that takes it back, and what came of its rehearsal, in words."""

    title: str
    platform: str
    checksum: str
    """SHA-256 of `text`."""
    text: str
    revert: str
    steps: tuple[ScriptStep, ...] = ()
    left: tuple[str, ...] = ()
    """What it leaves as it is, each with the reason."""
    rehearsal: tuple[str, ...] = ()
    signed: str = ""


class Frozen(msgspec.Struct):
    """All that an edition tells. Words of the models are those they show.

    `said` holds by the id of a table or column what is said of it, by aspect, in words; `carried` by the id of a column its
    term, domain and code list.
    """

    area: str
    title: str
    note: str
    contents: Contents
    models: list[Model]
    pictures: list[Picture] = msgspec.field(default_factory=list)
    said: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)
    carried: dict[str, dict[str, str]] = msgspec.field(default_factory=dict)
    terms: list[Term] = msgspec.field(default_factory=list)
    rules: list[Rule] = msgspec.field(default_factory=list)
    lists: list[CodeList] = msgspec.field(default_factory=list)
    sections: list[Section] = msgspec.field(default_factory=list)
    left_out: str = ""
    """What was left out for its class, in words."""
    scripts: list[EnclosedScript] = msgspec.field(default_factory=list)
    audience: str = ""
    paper: Paper = "a4"
    foot: str = ""
    """A line of its own at the foot of every page."""
    findings: list[NameFound] = msgspec.field(default_factory=list)
    logo: Logo | None = None


def freeze(content: Frozen) -> bytes:
    """Return content as bytes that are the same for the same content."""
    return msgspec.json.encode(content, order="deterministic")


def thaw(content: bytes) -> Frozen:
    """Return what was frozen."""
    return msgspec.json.decode(content, type=Frozen)


def digest_of(content: bytes) -> str:
    """Return the SHA-256 of frozen content: what people sign."""
    return hashlib.sha256(content).hexdigest()


class Signature(msgspec.Struct, frozen=True):
    """Who signed an edition off, and when."""

    person: str
    at: dt.datetime


class Imprint(msgspec.Struct, frozen=True):
    """What names an edition on its pages and documents. A draft has no number."""

    title: str
    area: str
    note: str
    made_by: str
    made_at: dt.datetime
    number: int = 0
    digest: str = ""
    signatures: tuple[Signature, ...] = ()

    @property
    def edition(self) -> str:
        """Its number in words."""
        return f"Edition {self.number}" if self.number else "Draft"

    @property
    def date(self) -> str:
        """Its day: when it was signed off last, or made."""
        day = max((one.at for one in self.signatures), default=self.made_at)
        return f"{day.day} {day:%B %Y}"

    @property
    def signed(self) -> str:
        """Who signed it, in words; "" for nobody."""
        names = [one.person for one in self.signatures]
        return (
            f"signed off by {' and '.join([', '.join(names[:-1]), names[-1]] if len(names) > 1 else names)}"
            if names
            else ""
        )
