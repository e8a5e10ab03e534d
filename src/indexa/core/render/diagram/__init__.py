"""Diagrams as files: SVG as the page shows it, and as text of other tools."""
