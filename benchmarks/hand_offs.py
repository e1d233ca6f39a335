"""Random hand-offs with addresses and keys in every form: nobody suppressed, refused or held out is contacted.

`python -m benchmarks.hand_offs [SEED] [HAND_OFFS]` prints what was found; it ends with 1 if anything was. Who must not
be contacted is known from how the tables are made, not from reading them.
"""

import sys
import tempfile
from pathlib import Path

import numpy as np
import pandas as pd

import gauger


def _email(person: int, rng: np.random.Generator) -> str:
    """One of the forms in which a person's address is written."""
    name = f"p{person}@bücher{person % 3}.example" if person % 4 == 0 else f"p{person}@example.org"
    forms = (
        name,
        name.upper(),
        f"  {name} ",
        f"mailto:{name}",
        f"Person {person} <{name}>",
        f"{name}.",
        f"p\u200b{name[1:]}",
        f"ｐ{name[1:]}",
        f"{name}, other{person}@example.net",
        f"{name.split('@')[0]}@{name.split('@')[1].encode('idna').decode()}",
    )
    return forms[int(rng.integers(len(forms)))]


def _phone(person: int, rng: np.random.Generator) -> str:
    number = f"7946{person:04d}"
    forms = (
        f"+4420{number}",
        f"0044 20 {number}",
        f"020 {number}",
        f"(020) {number[:4]}-{number[4:]}",
        f"+44 (0)20 {number[:4]} {number[4:]}",
        f"tel:+44-20-{number}",
        f"020 {number}; 020 7946 9{person % 1000:03d}",
    )
    return forms[int(rng.integers(len(forms)))]


def _key(person: int, rng: np.random.Generator) -> str:
    forms = (f"K{person:03d}", f"k{person:03d}", f" K{person:03d}", f"Ｋ{person:03d}", f"00K{person:03d}")
    return forms[int(rng.integers(len(forms)))]


def check(seed: int, folder: Path) -> list[str]:
    """One hand-off, and who was contacted though they must not be."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(5, 60))
    people = rng.integers(0, max(n // 2, 2), n)  # customers who are one person share an address
    by_phone = rng.random(n) < 0.4
    contacts = pd.DataFrame(
        {
            "who": [f"K{at:03d}" for at in range(n)],
            "email": [
                "" if phone and rng.random() < 0.5 else _email(int(p), rng)
                for p, phone in zip(people, by_phone, strict=True)
            ],
            "phone": [_phone(int(p), rng) if phone else None for p, phone in zip(people, by_phone, strict=True)],
            "consent": rng.choice(["yes", "no", None], n, p=[0.8, 0.1, 0.1]),
        }
    )
    codes = pd.DataFrame({"who": contacts["who"], "segment": rng.integers(1, 4, n)})[rng.random(n) < 0.8]
    if codes.empty:
        return []
    chosen = np.flatnonzero(rng.random(n) < 0.15)
    ways = [int(rng.integers(3)) for _ in chosen]
    entries, named = [], set()
    for at, way in zip(chosen.tolist(), ways, strict=True):
        if way == 0:
            entries.append({"who": _key(at, rng)})
        elif way == 1 and contacts["email"][at]:
            entries.append({"email": _email(int(people[at]), rng)})
        elif way == 2 and by_phone[at]:
            entries.append({"phone": _phone(int(people[at]), rng)})
        else:
            continue
        named.add(at)
    suppress = pd.DataFrame(entries, columns=["who", "email", "phone"]) if entries else None
    out = folder / str(seed)
    made = gauger.hand_off(
        codes, contacts, out, campaign=f"c{seed}", suppress=suppress, consent="consent", region="GB",
        holdout=float(rng.choice([0.0, 0.1, 0.5])), address=None,
    )  # fmt: skip
    same = _same_person(contacts, people, by_phone)
    refused = {at for at in range(n) if contacts["consent"][at] == "no"}
    barred = {at for at in range(n) if any(at == other or other in same[at] for other in named | refused)}
    barred |= {at for at in range(n) if contacts["consent"][at] != "yes"}
    arms = (
        gauger.read_table(out / "arms.csv")
        if (out / "arms.csv").stat().st_size > 40
        else pd.DataFrame({"who": [], "arm": []})
    )
    contacted = set(arms["who"][arms["arm"] == "contacted"])
    audience = set(gauger.read_table(out / "audience.csv")["who"]) if contacted else set()
    findings = [f"{seed}: {at} must not be contacted" for at in barred if f"K{at:03d}" in contacted | audience]
    held = set(arms["who"][arms["arm"] == "holdout"])
    findings += [f"{seed}: {who} is held out and contacted" for who in held & audience]
    told = made.manifest["settings"]["suppression"]
    if told["read"] != len(entries) or told["unreadable"] or told["matched"] != len(entries):
        findings.append(f"{seed}: {len(entries)} entries, told as {told}")
    return findings


def _same_person(contacts: pd.DataFrame, people: np.ndarray, by_phone: np.ndarray) -> list[set[int]]:
    """By customer, all who surely share an address: both have an e-mail address of one person, or both a telephone."""
    n = len(people)
    links = [
        {
            other
            for other in range(n)
            if people[other] == people[at]
            and ((contacts["email"][at] and contacts["email"][other]) or (by_phone[at] and by_phone[other]))
        }
        for at in range(n)
    ]
    changed = True
    while changed:
        changed = False
        for at in range(n):
            more = set().union(*(links[other] for other in links[at])) | links[at]
            if more != links[at]:
                links[at], changed = more, True
    return links


def main() -> None:
    """Run and print."""
    seed, count = (int(word) for word in [*sys.argv[1:], *("1", "1000")[len(sys.argv) - 1 :]])
    findings = []
    with tempfile.TemporaryDirectory() as folder:
        for number in range(count):
            findings += check(seed + number, Path(folder))
    print(f"{count:,} hand-offs: {len(findings):,} findings")
    for finding in findings[:40]:
        print(finding)
    sys.exit(bool(findings))


if __name__ == "__main__":
    main()
