"""Audiences for campaigns, with consent, suppression and a holdout; the account of who went where; what came of it."""

from gauger.campaigns.handing import HandOff, hand_off
from gauger.campaigns.measuring import HELPED, TOO_SMALL, Outcome, measure

__all__ = ["HELPED", "TOO_SMALL", "HandOff", "Outcome", "hand_off", "measure"]
