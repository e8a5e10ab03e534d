"""Change scripts: what brings a database from one model to another and keeps its rows."""
