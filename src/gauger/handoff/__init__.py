"""Campaigns: audiences with consent, suppression and a holdout, the account of who went where, and what came of it."""

from gauger.handoff.handing import HandOff, hand_off
from gauger.handoff.measuring import Outcome, measure

__all__ = ["HandOff", "Outcome", "hand_off", "measure"]
