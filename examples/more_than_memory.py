"""More members than a table in memory should hold: five million, in parts, segmented block by block and assigned.

Run it from anywhere: `python examples/more_than_memory.py [FOLDER] [MEMBERS]`. Five million take less than a minute on
two cores, and the memory stays the same for fifty.
"""

import sys
import tempfile
from pathlib import Path
from typing import Any

import gauger
from gauger.demo import write_many_members

folder = Path(sys.argv[1] if len(sys.argv) > 1 else tempfile.mkdtemp(prefix="more-than-memory-"))
members = int(sys.argv[2]) if len(sys.argv) > 2 else 5_000_000
base = folder / "base"
write_many_members(members, base, in_a_part=max(members // 5, 1))
preparation: dict[str, Any] = {
    "key": "member_id",
    "features": ["visits", "recency_days", "ticket_spend", "booked_days_ahead"],
    "transform": "log",
    "cap": (0.0, 0.999),
}

# How many segments: studied on a sample, chosen by a hash of the key and treated as everyone is.
sample = gauger.prepare_files(base, sample=5_000, **preparation)
advice = gauger.study_counts(sample, counts=range(1, 7)).advice
print(f"Advice: {advice.count} segments ({advice.verdict}), from {sample.noun.counted(len(sample.keys))}.")

# Everyone, block by block. With cluster="tcp://scheduler:8786" a Dask cluster does it, to the same bits.
found = gauger.segment_files(base, folder / "segments", count=max(advice.count, 2), replace=True, **preparation)
print(f"{found.headline()}; {found.iterations} iterations, the last of which moved nobody: {found.converged}.")
print(found.profile.medians.round(1))

# The model places others the same way, a folder at a time.
done = gauger.assign_file(found.model, base, folder / "assigned", gate="learned", replace=True)
print(done.headline())
