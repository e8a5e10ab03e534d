"""What reconciling keeps."""

from indexa.reconcile.models.comparisons import ComparedDifference, IgnoreSettings, ModelComparison
from indexa.reconcile.models.differences import KeptDifference
from indexa.reconcile.models.drift import DriftFinding, DriftPoint, DriftWatch
from indexa.reconcile.models.readings import FoundDifference, Reconciliation
from indexa.reconcile.models.scripts import ChangeAccess, KeptScript, ScriptRun
from indexa.reconcile.models.versions import ModelBranch, ModelVersion

__all__ = [
    "ChangeAccess",
    "ComparedDifference",
    "DriftFinding",
    "DriftPoint",
    "DriftWatch",
    "FoundDifference",
    "IgnoreSettings",
    "KeptDifference",
    "KeptScript",
    "ModelBranch",
    "ModelComparison",
    "ModelVersion",
    "Reconciliation",
    "ScriptRun",
]
