"""Files as accidents make them: whole ones of every format, and what is left of them after random damage."""

import gzip
import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import pandas as pd

import gauger

FORMATS = ("t.csv", "t.tsv", "t.csv.gz", "t.jsonl", "t.parquet", "t.xlsx", "model.json", "manifest.json")

_WORDS = (
    *(b'"', b"'", b",", b";", b"\t", b"\n", b"\r", b"\0", b"\xff", b"\x80", b"\xe2\x80\xae", b"\x1b[31m", b"\x9b"),
    *(
        b"=cmd()",
        b"9999-12-31",
        b"0000-00-00",
        b"1e400",
        b"-inf",
        b"NaN",
        b"null",
        b"{",
        b"}",
        b"[",
        b"]",
        b"[" * 3_000,
    ),
    *(b"x" * 200_000, b"True", b"2025-02-30", b"[/b]", b"<script>", b"\xed\xa0\x80", b"18446744073709551616"),
)


@dataclass(frozen=True)
class Whole:
    """A file before it is damaged."""

    name: str
    data: bytes


def whole_files(folder: Path) -> dict[str, Whole]:
    """One file of every format: members of a made-up club, a model of them, and the manifest of a hand-off."""
    rng = np.random.default_rng(0)
    n = 60
    table = pd.DataFrame(
        {
            "who": [f"c{at:03d}" for at in range(n)],
            "joined": pd.Timestamp("2025-01-01") + pd.to_timedelta(rng.integers(0, 400, n), "D"),
            "spend": rng.gamma(2.0, 20.0, n).round(2),
            "visits": rng.integers(1, 30, n),
            "area": rng.choice(["north", "it's", "007"], n),
            "app": rng.random(n) < 0.5,
            "consent_email": 1,
            "email": [f"c{at}@example.org" for at in range(n)],
        }
    )
    features = gauger.prepare(table, key="who", features=["spend", "visits"], categories=["area"])
    seg = gauger.segment_by_kmeans(features, 3, starts=2)
    gauger.build_model(seg).save(folder / "model.json")
    made = gauger.hand_off(seg, table, folder / "campaign", campaign="spring", holdout=0.3, phone=None)
    paths = [gauger.write_table(table, folder / name) for name in FORMATS if name.startswith("t.")]
    paths += [folder / "model.json", made.folder / "manifest.json"]
    return {path.name: Whole(path.name, path.read_bytes()) for path in paths}


def damaged(whole: Whole, rng: np.random.Generator) -> bytes:
    """The file after one to three accidents."""
    data = whole.data
    packed = whole.name.endswith(".gz") and rng.random() < 0.7
    if packed:
        data = gzip.decompress(data)
    for _ in range(int(rng.choice([1, 1, 1, 2, 3]))):
        data = _ACCIDENTS[int(rng.integers(len(_ACCIDENTS)))](data, rng)
    if whole.name.endswith(".json") and rng.random() < 0.5:
        data = _other_json(whole.data, rng)
    return gzip.compress(data) if packed else data


def _cut(data: bytes, rng: np.random.Generator) -> bytes:
    return data[: int(rng.integers(0, len(data) + 1))]


def _flip(data: bytes, rng: np.random.Generator) -> bytes:
    changed = bytearray(data)
    for index in rng.integers(0, max(len(changed), 1), int(rng.integers(1, 9))).tolist():
        if changed:
            changed[index] ^= int(rng.integers(1, 256))
    return bytes(changed)


def _put(data: bytes, rng: np.random.Generator) -> bytes:
    index = int(rng.integers(0, len(data) + 1))
    return data[:index] + _WORDS[int(rng.integers(len(_WORDS)))] + data[index:]


def _drop(data: bytes, rng: np.random.Generator) -> bytes:
    start, stop = sorted(rng.integers(0, len(data) + 1, 2).tolist())
    return data[:start] + data[min(stop, start + 200) :]


def _twice(data: bytes, rng: np.random.Generator) -> bytes:
    start, stop = sorted(rng.integers(0, len(data) + 1, 2).tolist())
    return data[:stop] + data[start : min(stop, start + 500)] + data[stop:]


_ACCIDENTS: tuple[Callable[[bytes, np.random.Generator], bytes], ...] = (_cut, _flip, _put, _drop, _twice)


def _other_json(data: bytes, rng: np.random.Generator) -> bytes:
    """The same JSON with a part that is lacking, or another kind of value in its place."""
    told = json.loads(data)
    indices = list(_places(told))
    for _ in range(int(rng.integers(1, 4))):
        holder, step = indices[int(rng.integers(len(indices)))]
        try:
            if rng.random() < 0.4:
                del holder[step]
            else:
                holder[step] = [None, -1, 1e308, "x", [], {}, True, [[1.0]], 2**70][int(rng.integers(9))]
        except (IndexError, KeyError):
            continue
    return json.dumps(told).encode()


def _places(value: object) -> Iterator[tuple[object, object]]:
    steps = value.keys() if isinstance(value, dict) else range(len(value)) if isinstance(value, list) else ()
    for step in steps:
        yield value, step
        yield from _places(value[step])  # type: ignore[index]
