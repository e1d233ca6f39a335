"""How the site is built: `make docs`, from these pages, the docstrings and the commands themselves, without network."""

import os
import shutil
import sys
from pathlib import Path

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE), str(HERE.parent)]

os.environ |= {"GAUGER_THREADS": "1", "OPENBLAS_NUM_THREADS": "1"}  # processes share the cores here
os.environ["PYTHONPATH"] = os.pathsep.join(filter(None, [str(HERE.parent), os.environ.get("PYTHONPATH")]))
KERNELS = HERE / "_build" / "kernels"  # what they keep is of no use to anybody
(KERNELS / "profile_default" / "startup").mkdir(parents=True, exist_ok=True)
shutil.copy(HERE / "building" / "ipython_kernel_config.py", KERNELS / "profile_default")
shutil.copy(HERE / "building" / "only_shown_is_drawn.py", KERNELS / "profile_default" / "startup")
os.environ["IPYTHONDIR"] = str(KERNELS)

import gauger  # noqa: E402 - the page's own folder comes first

project = "Gauger"
author = "The Gauger developers"
copyright = author  # noqa: A001 - Sphinx's word
release = version = gauger.__version__
language = "en"
smartquotes = False  # what is typed is shown as it is typed

extensions = [
    "sphinx.ext.autodoc",
    "sphinx.ext.autosummary",
    "sphinx.ext.duration",
    "numpydoc",
    "myst_nb",
    "sphinx_design",
    "building",
]
exclude_patterns = ["_build", "screenshots", "gallery/*.py", "**/*.json"]
nitpicky = False
default_role = "code"

templates_path = ["_templates"]
html_theme = "pydata_sphinx_theme"
html_title = f"Gauger {release}"
html_static_path = ["_static"]
html_css_files = ["gauger.css"]
html_show_sourcelink = False
html_show_search_summary = False  # a browser does not fetch pages beside a file
html_copy_source = False
html_theme_options = {
    "logo": {"text": "Gauger"},
    "navbar_align": "left",
    "navbar_end": ["theme-switcher"],
    "navbar_persistent": ["search-button"],
    "secondary_sidebar_items": ["page-toc"],
    "show_prev_next": True,
    "header_links_before_dropdown": 6,
    "footer_start": ["copyright"],
    "footer_end": [],
    "pygments_light_style": "tango",
    "pygments_dark_style": "monokai",
}

myst_enable_extensions = ["colon_fence", "deflist", "attrs_inline"]
myst_heading_anchors = 3

nb_execution_mode = "force"
nb_execution_in_temp = True
nb_execution_raise_on_error = True
nb_execution_timeout = 180
nb_merge_streams = True
nb_ipywidgets_js = {}

autosummary_generate = True
autodoc_typehints = "none"
numpydoc_show_class_members = False
numpydoc_xref_param_type = False
