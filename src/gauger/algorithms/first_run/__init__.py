"""What the first run on a machine does besides: it compiles loops on two cores."""

from gauger.algorithms.first_run.beside import compile_beside

__all__ = ["compile_beside"]
