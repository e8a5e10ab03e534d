"""Diagrams: what a card shows, which tables belong together, where cards lie, how lines run between them. Lengths in px."""
