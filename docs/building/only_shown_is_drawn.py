"""Where a kernel starts: figures in files, which no page shows, are not drawn."""

from tests.short_cuts import only_drawn

only_drawn(None).__enter__()
