"""Where Django finds the models of this app."""

from indexa.naming.passes.models import LockedName, NamingPass, PassName, PassWord
from indexa.naming.standards.models import NameFinding, NamingCheck, StandardVersion, StoredStandard, Waiver
from indexa.naming.wordbooks.models import BookWord, TermIssue, Wordbook, WordbookUse

__all__ = [
    "BookWord",
    "LockedName",
    "NameFinding",
    "NamingCheck",
    "NamingPass",
    "PassName",
    "PassWord",
    "StandardVersion",
    "StoredStandard",
    "TermIssue",
    "Waiver",
    "Wordbook",
    "WordbookUse",
]
