"""The demo data, its generator, and the whole example."""

from gauger.demo.many_members import MEASURES, write_many_members
from gauger.demo.shipped_files import demo_file
from gauger.demo.walkthrough import walk_through

__all__ = [
    "MEASURES",
    "demo_file",
    "walk_through",
    "write_many_members",
]
