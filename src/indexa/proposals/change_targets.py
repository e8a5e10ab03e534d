"""What undo has to know of decisions on proposals."""

from indexa.changes.targets import PlainField, TargetKind, add_field, register

register(TargetKind("proposal", "Proposal", {"state": PlainField("Decision", "model_proposal", "state")}))
add_field("table", "entity_id", PlainField("Entity", "model_table", "entity_id", "bigint"))
add_field("column", "attribute_id", PlainField("Attribute", "model_column", "attribute_id", "bigint"))
