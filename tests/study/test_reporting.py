"""Reports of studies: what is in them, the same bytes, and what is refused."""

import re
from pathlib import Path

import numpy as np
import pandas as pd
import pytest

import gauger
from gauger.errors import MissingFileError, OutputError, PlanError, SettingError, StudyError
from gauger.report.explorer import sampled_rows
from tests.conftest import Run
from tests.examples import thoroughly


@pytest.fixture(scope="module")
def table() -> pd.DataFrame:
    rng = np.random.default_rng(5)
    group = np.arange(150) % 3
    return pd.DataFrame(
        {
            "shop": [f"k{at:03}" for at in range(150)],
            "orders": np.round(np.abs(rng.normal(5.0 + 20.0 * (group == 1), 2.0)), 2),
            "basket": np.round(np.abs(rng.normal(30.0 + 60.0 * (group == 2), 5.0)), 2),
            "kind": np.array(["town", "road", "web"])[group],
        }
    )


@pytest.fixture(scope="module")
def seg(table: pd.DataFrame) -> gauger.Segmentation:
    return gauger.segment_by_kmeans(gauger.prepare(table, key="shop"), 3)


@pytest.fixture(scope="module")
def folder(seg: gauger.Segmentation, table: pd.DataFrame, tmp_path_factory: pytest.TempPathFactory) -> Path:
    place = tmp_path_factory.mktemp("reported")
    gauger.write_table(table, place / "shops.csv")
    gauger.save_study(seg, place / "before", source=place / "shops.csv")
    study = gauger.save_study(seg.rename({1: "busy"}), place / "now", source=place / "shops.csv")
    text = (study.folder / "plan.toml").read_text()
    (study.folder / "plan.toml").write_text(f'{text}\n[counts]\nhighest = 3\n[[compare]]\ncolumn = "kind"\n')
    return place


@pytest.fixture(scope="module")
def page(folder: Path) -> str:
    file = gauger.write_report(folder / "now", folder / "report.html", earlier=[folder / "before"])
    return file.read_text(encoding="utf-8")


def _plain(page: str) -> str:
    body = page[page.index("<body>") : page.index("<script")]
    return " ".join(re.sub(r"<[^>]*>", " ", body).split())


def test_it_tells_what_was_found_how_sure_and_who_is_left_out(page: str) -> None:
    told = _plain(page)
    assert told.startswith("To what was found 3 segments of 150 shops")
    assert "3 segments of 150 shops by k-means: the largest, 1 busy, has 33% of them" in told
    assert re.search(r"How sure: the data (speak clearly for|lean to) 3", told)
    assert "Nobody was left out: everyone is in a segment." in told
    assert "customer" not in told.replace("customers-", "")


def test_it_has_comparisons_migration_treatments_and_the_plan(page: str) -> None:
    told = _plain(page)
    assert "Beside kind" in told
    assert "Who moved since before" in told
    assert "0% of 150 shops moved" in told
    assert "z-score: mean" in told
    assert "[[compare]] column = &#34;kind&#34;" in told
    assert "SHA-256 of shops.csv" in told


def test_keys_are_in_it_only_when_asked_for_and_addresses_never(tmp_path: Path, table: pd.DataFrame) -> None:
    """Remarks name nobody; a plan names the customers that its figure labels, but not in a page without keys."""
    far = table.copy()
    far.loc[7, "basket"] = 90_000.0
    seg = gauger.segment_by_kmeans(gauger.prepare(far, key="shop"), 4)
    assert "k007" not in " ".join(remark.text for remark in seg.remarks)
    study = gauger.save_study(seg, tmp_path / "s", source=far)
    plan = tmp_path / "s" / "plan.toml"
    plan.write_text(f'{plan.read_text()}\n[figures]\nlabel = ["k033"]\n')
    pages = {
        asked: gauger.write_report(study.folder, tmp_path / f"{asked}.html", with_keys=asked).read_text("utf-8")
        for asked in (False, True)
    }
    assert not re.search(r"\bk0\d\d\b", pages[False])
    assert "tiny-segment" in pages[False]
    assert {"k033"} <= set(re.findall(r"\bk0\d\d\b", pages[True]))
    reached = far.assign(shop=[f"{key}@example.org" for key in far["shop"]])
    by_address = gauger.segment_by_kmeans(gauger.prepare(reached, key="shop"), 3)
    with pytest.raises(SettingError, match="'shop' look like addresses"):
        gauger.write_report(by_address, tmp_path / "a.html", with_keys=True)


@pytest.mark.slow
@pytest.mark.usefixtures("drawn")
def test_the_same_study_gives_the_same_bytes(seg: gauger.Segmentation, tmp_path: Path) -> None:
    profile = gauger.profile(seg, resamples=2)
    files = [gauger.write_report(seg, tmp_path / f"{at}.html", profile=profile) for at in range(2)]
    assert files[0].read_bytes() == files[1].read_bytes()
    assert oct(files[0].stat().st_mode)[-3:] == "600"


def test_what_cannot_be_reported_is_refused_and_nothing_is_written(
    folder: Path, table: pd.DataFrame, seg: gauger.Segmentation, tmp_path: Path
) -> None:
    other = gauger.profile(gauger.segment_by_kmeans(seg.features.part(np.arange(60)), 2), resamples=0)
    later = tmp_path / "later"
    later.mkdir()
    (later / "plan.toml").write_text('format = "gauger plan"\nversion = 2\nkey = "shop"\n[source]\nfile = "x.csv"\n')
    (tmp_path / "r.html").write_text("mine")
    for refused, error, words, given in (
        (folder, StudyError, "without plan.toml: no study", {}),
        (tmp_path / "nowhere", MissingFileError, "nowhere", {}),
        (later, PlanError, "version", {}),
        (seg, SettingError, "profile is of other shops", {"profile": other}),
        (seg, SettingError, "sample=0", {"sample": 0}),
        (seg, SettingError, "earlier study", {"earlier": [folder / "before"]}),
    ):
        with pytest.raises(error, match=words):
            gauger.write_report(refused, tmp_path / "new.html", **given)
    with pytest.raises(OutputError, match="there already"):
        gauger.write_report(seg, tmp_path / "r.html", profile=gauger.profile(seg, resamples=0))
    with pytest.raises(SettingError, match=r"must end in \.html"):
        gauger.write_report(seg, tmp_path / "report.pdf")
    nobody = gauger.segment_by_density(gauger.prepare(table, key="shop"), 1e-6)
    with pytest.raises(SettingError, match="nobody is in a segment"):
        gauger.write_report(nobody, tmp_path / "new.html")
    assert sorted(path.name for path in tmp_path.iterdir()) == ["later", "r.html"]
    assert (tmp_path / "r.html").read_text() == "mine"


def test_a_sample_shows_every_segment_and_no_more_than_asked() -> None:
    codes = np.repeat([1, 2, 3, 0], [9_000, 700, 12, 5]).astype(np.int32)
    rows = sampled_rows(codes, 1_000)
    shown = np.bincount(codes[rows], minlength=4)
    assert len(rows) == len(set(rows.tolist())) <= 1_000
    assert (shown[3], shown[0]) == (12, 5)
    assert shown[2] >= 30
    assert shown[1] / shown[2] == pytest.approx(9_000 / 700, rel=0.4)
    assert (sampled_rows(codes, 1_000) == rows).all()
    assert sorted(sampled_rows(codes, 10_000).tolist()) == list(range(len(codes)))


@pytest.mark.slow
def test_a_report_of_a_sample_says_how_many_were_segmented(table: pd.DataFrame, tmp_path: Path) -> None:
    gauger.write_table(table.assign(orders=table["orders"].where(table.index > 4)), tmp_path / "shops.parquet")
    base = gauger.open_table(tmp_path / "shops.parquet", execution=gauger.Execution(sample=60))
    seg = gauger.segment_by_kmeans(gauger.prepare(base, key="shop", missing="drop"), 3)
    study = gauger.save_study(seg, tmp_path / "study")
    of_everyone, of_a_sample = "145 shops of the source were segmented.", "This report is of a sample of 60 of them."
    page = gauger.write_report(seg, tmp_path / "own.html").read_text(encoding="utf-8")
    assert f"All {of_everyone} {of_a_sample}" in page
    assert "of a sample of 60 out of 145 shops, chosen by a hash of shop" in page
    page = gauger.write_report(study, tmp_path / "study.html").read_text(encoding="utf-8")
    left_out = "Of 150 shops of the source 145 were segmented; 5 were left out."
    assert f"{left_out} {of_a_sample}" in page
    assert page.count("of a sample of 60 out of 145") == 1
    whole = gauger.open_table(tmp_path / "shops.parquet")
    seg = gauger.segment_by_kmeans(gauger.prepare(whole, key="shop", missing="drop"), 3)
    study = gauger.save_study(seg, tmp_path / "whole")
    assert (study.segmentation.noun.many, len(study.table)) == ("shops", 145)
    assert not [one for one in (*study.remarks, *gauger.remarks_of(study.table)) if one.code == "sample-of-all"]


@pytest.mark.parametrize("method", thoroughly(["tree", "density", "levels", "bands"]))
def test_every_method_can_be_reported(table: pd.DataFrame, tmp_path: Path, method: str) -> None:
    features = gauger.prepare(table, key="shop", scale="minmax")
    made = {
        "tree": lambda: gauger.build_tree(features).cut(count=3),
        "density": lambda: gauger.segment_by_density(features, 0.15, min_points=4),
        "levels": lambda: gauger.segment_by_density_levels(features, 20),
        "bands": lambda: gauger.segment_by_bands(features, {"orders": 2}),
    }[method]()
    gauger.save_study(made, tmp_path / "s", source=table)
    told = _plain(gauger.write_report(tmp_path / "s", tmp_path / "r.html").read_text(encoding="utf-8"))
    expected = {
        "tree": "Each number of segments by each criterion",
        "density": "What each radius makes of everyone",
        "levels": "The number follows from the levels of density",
        "bands": "The number was given",
    }
    assert expected[method] in told


def test_a_campaign_and_its_outcome_are_told_with_their_reading(
    seg: gauger.Segmentation, table: pd.DataFrame, tmp_path: Path
) -> None:
    contacts = pd.DataFrame({"shop": table["shop"], "email": [f"{key}@example.org" for key in table["shop"]]})
    made = gauger.hand_off(seg, contacts, tmp_path / "h", campaign="<autumn>", consent=None, holdout=0.4)
    arms = gauger.read_table(made.folder / "arms.csv")
    came = arms.loc[arms["arm"] == "contacted", ["shop"]].assign(responded=1)
    outcome = gauger.measure(made.folder, came)
    profile = gauger.profile(seg, resamples=0)
    told = _plain(gauger.write_report(seg, tmp_path / "r.html", profile=profile, outcomes=[outcome]).read_text("utf-8"))
    assert "What came of &lt;autumn&gt;" in told
    assert "Contacted against held out" in told
    assert "100% 0% +100.0 points" in told
    assert "example.org" not in told


@pytest.mark.slow
def test_of_very_many_segments_the_largest_have_cards_and_columns(tmp_path: Path) -> None:
    table = pd.DataFrame({"shop": range(600), "x": np.repeat(np.arange(300.0), 2), "y": np.tile([0.0, 0.1], 300)})
    features = gauger.prepare(table, key="shop", scale="none")
    given = pd.DataFrame({"shop": range(600), "segment": np.repeat(np.arange(1, 301), 2)})
    many = gauger.segmentation_from_assignments(features, given, method="hand")
    page = gauger.write_report(many, tmp_path / "r.html", profile=gauger.profile(many, resamples=0)).read_text("utf-8")
    assert "The 40 largest of 300 segments have a card and a column" in _plain(page)
    assert page.count('class="card ') == 40
    assert len(page) < 1_500_000


def test_the_command_writes_both_and_says_what_is_wrong(command: Run, folder: Path) -> None:
    for words, code, said in (
        (("report", folder / "now"), 2, "--out report.html"),
        (("report", folder / "now", "--out", "r.pdf"), 1, "must end in .html"),
        (("report", folder / "now", "--out", "r.html", "--assignments"), 2, "--workbook FILE.xlsx"),
        (("report", folder / "now", "--out", "r.html", "--campaign", "x"), 2, "belong together"),
        (("report", folder / "shops.csv", "--out", "r.html"), 1, "is a file, not the folder of a study"),
    ):
        shown = command(*words)
        assert (shown.returncode, "Traceback" in shown.stderr) == (code, False), shown.stderr
        assert said in " ".join(shown.stderr.replace("│", " ").split())
    shown = command("report", folder / "now", "--out", "r.html", "--workbook", "r.xlsx", "--title", "Shops now")
    assert shown.returncode == 0, shown.stderr
    assert shown.stdout.splitlines()[0] == "Shops now"
    assert "wrote r.html" in shown.stdout
    assert "wrote r.xlsx" in shown.stdout


@pytest.mark.slow
def test_a_run_reports_when_its_plan_says_so(table: pd.DataFrame, tmp_path: Path) -> None:
    gauger.write_table(table, tmp_path / "shops.csv")
    plan = tmp_path / "plan.toml"
    plan.write_text(
        'key = "shop"\nmade_at = "2026-10-01T06:00:00+00:00"\n[source]\nfile = "shops.csv"\n[features.orders]\n'
        "[features.basket]\n[segments]\ncount = 3\n[counts]\nhighest = 3\n"
        '[report]\ntitle = "All shops"\nworkbook = true\n'
    )
    heard: list[str] = []
    gauger.run_plan(plan, tmp_path / "out", tell=lambda step, _: heard.append(step))
    assert heard[-1] == "Reported"
    page = (tmp_path / "out" / "report.html").read_text(encoding="utf-8")
    assert "<h1>All shops</h1>" in page
    assert "All 150 shops of the source were segmented." in page
    assert (tmp_path / "out" / "report.xlsx").is_file()
