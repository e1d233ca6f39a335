"""What the first run on a machine does besides: it compiles loops on two cores."""

from gauger.algorithms.first_run.compiling_in_background import compile_in_background

__all__ = ["compile_in_background"]
