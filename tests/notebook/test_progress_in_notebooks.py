"""Progress in a notebook's kernel: a bar after a second, none left behind, and none where it is turned off."""

from pathlib import Path

import nbformat
import pytest
from nbclient import NotebookClient

WORK = """
import time
import gauger
from gauger.progress import task

with task("looking <b>far</b>", 4) as advance:
    for _ in range(4):
        time.sleep(0.45)
        advance(1)
"""
SHORT = "import gauger\nfrom gauger.progress import task\nwith task('soon done', 1) as advance:\n    advance(1)"


def _heard(code: str, folder: Path, monkeypatch: pytest.MonkeyPatch) -> tuple[list[str], list[str]]:
    """What the front end is sent while the code runs in a kernel, and what stays in the cell."""
    notebook = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(code)])
    client = NotebookClient(notebook, timeout=120, resources={"metadata": {"path": str(folder)}})
    sent: list[str] = []
    own = client.process_message

    def listen(message: dict, cell: dict, index: int) -> object:  # type: ignore[type-arg]
        if message["msg_type"] in ("display_data", "update_display_data"):
            sent.append(message["content"]["data"].get("text/html", ""))
        return own(message, cell, index)

    monkeypatch.setattr(client, "process_message", listen)
    client.execute()
    kept = [output["data"].get("text/html", "") for output in notebook.cells[0].outputs if "data" in output]
    return sent, kept


@pytest.mark.slow
def test_long_work_shows_a_bar_that_goes_when_it_is_done(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    sent, kept = _heard(WORK, tmp_path, monkeypatch)
    assert '<progress value="3" max="4"></progress> 75 %' in "".join(sent)
    assert "looking &lt;b&gt;far&lt;/b&gt;" in sent[0]
    assert kept == [""]


@pytest.mark.slow
def test_behaviour_is_summarised_in_a_kernel_without_widgets(tmp_path: Path) -> None:
    code = (
        "import gauger\n"
        "visits = gauger.read_table(gauger.demo_file('visits.csv'))\n"
        "len(gauger.summarise_events(visits, customer='member_id', when='visited_on'))"
    )
    notebook = nbformat.v4.new_notebook(cells=[nbformat.v4.new_code_cell(code)])
    NotebookClient(notebook, timeout=120, resources={"metadata": {"path": str(tmp_path)}}).execute()
    assert notebook.cells[0].outputs[-1]["data"]["text/plain"] == "2355"


@pytest.mark.slow
def test_short_work_and_work_with_bars_turned_off_show_none(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    assert _heard(SHORT, tmp_path, monkeypatch) == ([], [])
    monkeypatch.setenv("GAUGER_PROGRESS", "0")
    assert _heard(WORK, tmp_path, monkeypatch) == ([], [])
