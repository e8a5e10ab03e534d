"""Checks of how a model is made: what is missing, contradicts itself, or can't be on its platform."""
