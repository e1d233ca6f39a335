"""What the site has besides Sphinx: commands that are run, tabs, tables of measurements, and generated references."""

from sphinx.application import Sphinx

from building import beside, generated, link_check, measured, not_run, shown_by, signatures, terminal


def setup(app: Sphinx) -> dict[str, bool]:
    """Add everything to a build."""
    for part in (generated, terminal, beside, not_run, measured, shown_by, signatures, link_check):
        part.setup(app)
    return {"parallel_read_safe": True, "parallel_write_safe": True}
