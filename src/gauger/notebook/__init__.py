"""How results and long work show themselves in a notebook."""

from gauger.notebook.bars import NotebookBars, is_running
from gauger.notebook.figures import figure_of_result

__all__ = ["NotebookBars", "figure_of_result", "is_running"]
