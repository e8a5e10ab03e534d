"""Classification schemes to begin with, for those who have none yet."""

from __future__ import annotations

import msgspec


class StarterScheme(msgspec.Struct, frozen=True, kw_only=True):
    """A scheme with its values, the mildest first, each with what it means."""

    name: str
    meaning: str
    values: tuple[tuple[str, str], ...]
    default: str = ""
    raises: bool = False
    kinds: tuple[str, ...] = ("table", "column")


STARTERS = (
    StarterScheme(
        name="Confidentiality",
        meaning="Who may see it.",
        raises=True,
        default="Internal",
        values=(
            ("Open", "Anybody may see it."),
            ("Internal", "For people who work here."),
            ("Restricted", "For the teams that need it."),
            ("Secret", "For named people; each look is recorded."),
        ),
    ),
    StarterScheme(
        name="Personal data",
        meaning="Whether it tells of a person.",
        raises=True,
        values=(
            ("None", "It tells of no person."),
            ("Indirect", "It tells of a person together with other data."),
            ("Direct", "It names or reaches a person."),
            ("Sensitive", "Health, belief, origin, payment details and the like."),
        ),
    ),
    StarterScheme(
        name="Retention",
        meaning="How long it is kept after it was last needed.",
        values=(
            ("1 year", "Kept for a year."),
            ("3 years", "Kept for three years."),
            ("10 years", "Kept for ten years, as accounts are."),
            ("For good", "Never deleted."),
        ),
        kinds=("table",),
    ),
    StarterScheme(
        name="Impact",
        meaning="What happens when it is wrong or missing.",
        values=(
            ("Low", "Somebody is annoyed."),
            ("Medium", "A report or a letter is wrong."),
            ("High", "Customers are billed wrongly or supply is at risk."),
        ),
        kinds=("table",),
    ),
)
