"""Meanings that columns share: terms, domains, code lists."""
