"""The study folder and its plan: what was done, kept so that it is never asked or typed again."""

from gauger.study.opening import Study, open_study
from gauger.study.plan import Plan
from gauger.study.plan_files import read_plan
from gauger.study.saving import save_study

__all__ = ["Plan", "Study", "open_study", "read_plan", "save_study"]
