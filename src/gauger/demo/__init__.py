"""The demo world, Ostrel Picture Houses: a made-up chain of 48 small cinemas with a members' club."""

from gauger.demo.files import demo_file

__all__ = ["demo_file"]
