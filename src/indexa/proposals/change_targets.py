"""What undo has to know of decisions on proposals."""

from indexa.changes.targets import PlainField, TargetKind, register

register(TargetKind("proposal", "Proposal", {"state": PlainField("Decision", "model_proposal", "state")}))
