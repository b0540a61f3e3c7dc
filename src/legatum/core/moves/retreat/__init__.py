"""The way back of any move: what was done, reversed effect by effect, in the order and with the holds of every other
plan.

What was made comes first again where it was taken away, then everybody is led back, and what the move had made goes
last, when nobody asks it any more. What visitors never saw - a zone published where nobody asks, a lowered TTL - is
taken back without a hold: its needs find nothing to wait for.
"""

from legatum.core.moves.retreat.draft import Begun, draft_retreat
from legatum.core.moves.retreat.in_force import SUFFIX

__all__ = ["SUFFIX", "Begun", "draft_retreat"]
