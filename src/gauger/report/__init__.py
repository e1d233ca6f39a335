"""Every page that people open: the report of a study, its workbook, and the page of a hand-off."""

from gauger.report.contents import Contents, Provenance
from gauger.report.handing_over import hand_off
from gauger.report.manifest_page import hand_off_page
from gauger.report.page import report_page
from gauger.report.workbook import write_sheets

__all__ = [
    "Contents",
    "Provenance",
    "hand_off",
    "hand_off_page",
    "report_page",
    "write_sheets",
]
