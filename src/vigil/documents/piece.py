"""The base of what a plan is made of."""

from vigil.documents.limited import Limited


class Piece(Limited):
    """Base of the plan's pieces."""
