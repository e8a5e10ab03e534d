"""Diagrams of models: kept views with chosen tables at their places, shared in an area or private."""
