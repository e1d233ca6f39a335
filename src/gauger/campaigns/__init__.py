"""Audiences for campaigns, with consent, suppression and a holdout; the account of who went where; what came of it."""

from gauger.campaigns.audience_hand_offs import HandOff, write_hand_off
from gauger.campaigns.folders import holds_only_a_hand_off
from gauger.campaigns.hand_off_files import database_of
from gauger.campaigns.hand_off_rules import HandOffRuleNames, HandOffRules
from gauger.campaigns.measuring import HELPED, TOO_SMALL, Outcome, measure

__all__ = [
    "HELPED",
    "TOO_SMALL",
    "HandOff",
    "HandOffRuleNames",
    "HandOffRules",
    "Outcome",
    "database_of",
    "holds_only_a_hand_off",
    "measure",
    "write_hand_off",
]
