"""Where and how the work on an open table runs, as one value."""

from dataclasses import dataclass
from typing import TYPE_CHECKING

from gauger.columns import refuse_no_whole_number
from gauger.errors import SettingError

if TYPE_CHECKING:
    from distributed import Client

SAMPLE = 100_000
"""Customers of the sample that is looked at: chosen by us, enough for a segment of one in a thousand to show."""
FEW = 20_000
"""Customers of a database's table up to which it is segmented as a table in memory is, which reads their features,
without keys; larger ones begin on a sample of so many that stays in the database. An iteration over them takes a
hundredth of one over some million (`benchmarks.in_the_warehouse`)."""


@dataclass(frozen=True)
class Execution:
    """Where and how the work on an open table runs; every setting may be left out.

    Parameters
    ----------
    sample : int, optional
        How many customers are looked at for figures, remarks and studies of the count: those whose keys have the
        smallest hashes. By default 100,000. No more rows than that leave a database; with 0 none does, and studies that
        need customers say so.
    cluster : str or distributed.Client, optional
        Files: the address of a Dask scheduler, or a client. Its workers must see the files, and what is written, by the
        same paths. Needs the extra `dask`.
    workers : int, optional
        Files: that many processes on this machine, instead of threads. Needs the extra `dask`.
    memory : str, optional
        Files of events: how much memory they may take before they go to the disk, such as "4GB"; by default 1.2 GB.

    Raises
    ------
    SettingError
        If `sample` or `workers` is not a whole number or too small, or `workers` is given together with `cluster`.

    Notes
    -----
    The number of threads is that of the machine's cores, or GAUGER_THREADS; results are the same bits for any.

    Examples
    --------
    >>> import gauger
    >>> gauger.Execution(sample=5_000).sample
    5000
    """

    sample: int | None = None
    cluster: "str | Client | None" = None
    workers: int | None = None
    memory: str | None = None

    def __post_init__(self) -> None:
        if self.sample is not None:
            refuse_no_whole_number("sample", self.sample, 0)
        if self.workers is not None:
            refuse_no_whole_number("workers", self.workers, 1)
        if self.cluster is not None and self.workers is not None:
            raise SettingError("workers= starts processes on this machine; leave it out with cluster=.")

    @property
    def sampled(self) -> int:
        """How many customers a sample has at most."""
        return SAMPLE if self.sample is None else int(self.sample)

    @property
    def few(self) -> int:
        """How many customers of a database are at most read, without keys, to be segmented as in memory."""
        return FEW if self.sample is None else min(FEW, int(self.sample))

    @property
    def on_a_cluster(self) -> bool:
        """Whether Dask does the work."""
        return self.cluster is not None or self.workers is not None
