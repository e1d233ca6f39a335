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

# The files stay where they are. With Execution(cluster="tcp://scheduler:8786") a Dask cluster works on them, and comes
# to the same bits.
table = gauger.open_table(base, execution=gauger.Execution(sample=5_000))
features = gauger.prepare(table, **preparation)

# How many segments: studied on a sample, chosen by a hash of the key and treated as everyone is.
advice = gauger.study_counts(features, counts=range(1, 7)).advice
print(f"Advice: {advice.count} segments ({advice.verdict}), from {features.noun.counted(len(features.keys))}.")

# Everyone, block by block.
seg = gauger.segment_by_kmeans(features, max(advice.count, 2))
print(f"{seg.headline()}; {seg.iterations} iterations, the last of which moved nobody: {seg.converged}.")
print(seg.profile.medians.round(1))
gauger.save_study(seg, folder / "segments", replace=True)

# The model places others the same way, a folder at a time.
done = seg.model.assign(table, into=folder / "assigned", gate="learned", replace=True)
print(done.headline())
