"""The documentation as static pages: `make site`."""

project = "Voskar"
html_title = "Voskar"
html_theme = "furo"
extensions = ["myst_parser", "sphinx.ext.autodoc"]
root_doc = "index"
exclude_patterns = ["site", "screenshots.sh"]
myst_heading_anchors = 4
myst_links_external_new_tab = False
autodoc_typehints = "signature"
autodoc_member_order = "bysource"
html_show_copyright = html_show_sphinx = html_copy_source = False
html_theme_options = {"top_of_page_buttons": []}


def setup(app):
    """Tables of boxes are shown as they are."""
    from pygments.lexers.special import TextLexer

    app.add_lexer("csv", TextLexer)
