"""Kernels that run pages: on this machine alone, so that a word about encryption is of no use."""

c = get_config()  # noqa: F821 - IPython's
c.IPKernelApp.log_level = 40
c.HistoryManager.enabled = False
