"""What error messages say: what was wrong, where, and what to do next."""

from pathlib import Path

import pytest

from gauger.errors import GaugerError, KeyColumnError, MissingFileError, SettingError, UnknownColumnError
from gauger.wording import listed, nearest


def test_an_unknown_column_names_the_nearest_and_what_is_there() -> None:
    error = UnknownColumnError.among(["vists", "visits"], ["who", "visits", "Spend"])
    assert str(error) == "there is no column 'vists' (did you mean 'visits'?). The table has: who, visits and Spend."
    assert isinstance(error, KeyError)


def test_nearest_names_are_found_whatever_their_case() -> None:
    assert nearest("SPEND_TOTAL", ["Spend_total", "visits"]) == "'Spend_total'"
    assert nearest("zzz", ["visits"]) == ""


def test_a_missing_file_offers_its_neighbours(tmp_path: Path) -> None:
    (tmp_path / "members.csv").write_text("a\n1\n")
    error = MissingFileError.at(tmp_path / "member.csv")
    assert "Did you mean 'members.csv'?" in str(error)
    assert isinstance(error, FileNotFoundError)


def test_a_key_error_counts_rows() -> None:
    assert "(1 row too many)" in str(KeyColumnError.repeated("who", [4], 1))
    assert "missing in 1,200 rows (data rows 1, 2 and 3)" in str(KeyColumnError.missing("who", range(3), 1200))


def test_a_wrong_word_is_answered_with_the_right_ones() -> None:
    error = SettingError.not_one_of("scale", "zscor", ["none", "zscore", "minmax"])
    assert str(error) == "scale='zscor' is not known; it can be none, zscore or minmax. Did you mean 'zscore'?"


@pytest.mark.parametrize(
    ("words", "phrase"),
    [([], "nothing"), (["a"], "a"), (["a", "b"], "a and b"), (list("abcde"), "a, b, c and 2 more")],
)
def test_lists_read_as_phrases(words: list[str], phrase: str) -> None:
    assert listed(words) == phrase


def test_every_error_is_a_gauger_error() -> None:
    for kind in (MissingFileError, UnknownColumnError, KeyColumnError, SettingError):
        assert issubclass(kind, GaugerError)
