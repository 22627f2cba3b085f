"""Sections: the strip under the header, and the view that edits them."""
