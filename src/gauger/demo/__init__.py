"""The demo data, its generator, and the whole example."""

from gauger.demo.files import demo_file
from gauger.demo.walkthrough import walk_through

__all__ = [
    "demo_file",
    "walk_through",
]
