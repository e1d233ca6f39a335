"""What was found, in three sentences: how many segments, how sure that is, and who is in none."""

from gauger.choosing import CountStudy
from gauger.profiling import FEWEST_SHARED, Profile, numbered_name
from gauger.report.contents import Contents
from gauger.segmentation import UNASSIGNED_NAME
from gauger.wording import listed, percent, plural

_VERDICTS = {
    "clear": "the data speak clearly for {count}",
    "leaning": "the data lean to {count}, with soft borders or a rival",
    "unclear": "the data do not settle the number; {count} is one that can be defended",
}

_FIRM = 0.85
"""A mean overlap with itself on bootstrap samples from which a segment is called firm (Hennig 2007)."""


def three_sentences(contents: Contents) -> list[str]:
    """How many segments of how many there are, how sure that is, and who was left out and why."""
    return [_how_many(contents), _how_sure(contents), _who_is_out(contents)]


def _how_many(contents: Contents) -> str:
    seg, profile = contents.seg, contents.profile
    found = f"{seg.count} {plural(seg.count, 'segment')} of {contents.noun.counted(contents.customers)} by {seg.method}"
    if seg.count < 2:
        return f"{found}: they were not parted."
    sizes = profile.sizes.loc[profile.numbers, "customers"].to_numpy()
    largest, smallest = profile.numbers[int(sizes.argmax())], profile.numbers[int(sizes.argmin())]
    return (
        f"{found}: the largest, {numbered_name(profile, largest)}, has {_share(profile, largest)} of them, the "
        f"smallest, {numbered_name(profile, smallest)}, {_share(profile, smallest)}."
    )


def _share(profile: Profile, number: int) -> str:
    """The share of everyone; of fewer than 30 a count."""
    size = profile.sizes.loc[[number]].iloc[0]
    few = int(profile.sizes["customers"].iloc[-1]) < FEWEST_SHARED
    return f"{int(size['customers'])}" if few else percent(float(size["share"]))


def _how_sure(contents: Contents) -> str:
    parts = [_of_the_count(contents), _of_the_segments(contents.profile)]
    return f"How sure: {'; '.join(filter(None, parts))}."


def _of_the_count(contents: Contents) -> str:
    seg = contents.seg
    if contents.counts is not None:
        return _by_study(contents.counts, seg.count)
    if contents.radii is not None:
        verdict = contents.radii.advice.verdict
        words = "density tells no two groups apart" if verdict == "no structure" else f"the radius is {verdict}"
        return f"the number follows from density, and {words}"
    return "how many there are was not studied"


def _by_study(study: CountStudy, count: int) -> str:
    advice = study.advice
    if advice.verdict == "no structure":
        return (
            f"the data show no groups, so {count} {plural(count, 'segment')} "
            f"{plural(count, 'is', 'are')} parts of one cloud, and where their borders lie is a choice"
        )
    said = _VERDICTS[advice.verdict].format(count=advice.count)
    return said if advice.count == count else f"{said}, and {count} {plural(count, 'was', 'were')} chosen"


def _of_the_segments(profile: Profile) -> str:
    """Whether segments come back on bootstrap samples."""
    overlap = profile.overlap
    if not overlap.shape[1] or not int(overlap["resamples"].max()):
        return ""
    highest = overlap["stability"] + 2.0 * overlap["stability_error"].fillna(0.0)
    weak = [number for number, stability in highest.items() if not stability >= _FIRM]
    if not weak:
        return "drawn anew from such data, every segment comes back"
    names = [numbered_name(profile, int(str(number))) for number in weak]
    return f"drawn anew from such data, {listed(names)} {plural(len(names), 'does', 'do')} not come back as firmly"


def _who_is_out(contents: Contents) -> str:
    sizes = contents.profile.sizes["customers"]
    outside = int(sizes.to_dict().get(UNASSIGNED_NAME, 0))
    parts = []
    if outside:
        share = percent(outside / contents.customers)
        parts.append(f"{contents.noun.counted(outside)} ({share}) {plural(outside, 'is', 'are')} in no segment")
    before = [remark.text for remark in contents.remarks if remark.code == "customers-left-out"]
    parts += [f"before that, {text.rstrip('.')}" for text in before]
    return f"Left out: {'; '.join(parts)}." if parts else "Nobody was left out: everyone is in a segment."
